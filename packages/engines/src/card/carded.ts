/** What engines of all roles have in common that are described by a card: address, key, settings, readiness, requests. */
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault, type Readiness } from '../contract.js';
import { addressOf } from './address.js';
import type { cutInto, Exchange, Incoming } from './exchange.js';
import type { Body } from './form.js';
import { overHttpExchange } from './http-exchange.js';
import { withProcess } from './process-exchange.js';
import { Sockets } from './socket-exchange.js';
import { Keys } from './keys.js';
import { traced } from './traced.js';
import { at } from './pointer.js';
import { fits } from './reader.js';
import type { Hide } from './secrecy.js';
import { fill, textOf, type Values } from './template.js';
import { setTimeout as sleep } from 'node:timers/promises';

/** Between checks whether an engine that was down has come back, in ms. */
const LOOK_AGAIN_MS = 2_000;
const HEALTH_PATIENCE_MS = 3_000;
/** Before a request is made again, in ms: about so long at first, twice as long each time; an engine that wants more is not asked again. */
const RETRY_MS = 150;
const MOST_RETRY_MS = 3_000;
/** Faults after which a request may be made again. */
const PASSING = new Set(['engine-down', 'engine-busy']);

export interface CardOptions<C extends WiredCard = WiredCard> {
  name: string;
  card: C;
  /** Where `standin:NAME` is. */
  standins: Readonly<Record<string, string>>;
  /** The environment: keys by their names. */
  secrets: Readonly<Record<string, string | undefined>>;
  /** Where programs are started. */
  folder: string;
  /** Told what the engine is asked and answers, without keys. */
  trace?: ((engine: string, what: 'asked' | 'answered', text: string) => void) | undefined;
}

export abstract class CardedEngine<C extends WiredCard> {
  readonly name: string;
  readonly title: string;
  readonly where: 'on-machine' | 'cloud';
  readonly languages: readonly string[];
  private state: Readiness = { state: 'loading' };
  private readonly watch: NodeJS.Timeout | undefined;
  private readonly sockets = new Sockets();
  protected readonly keys: Keys;

  constructor(protected readonly options: CardOptions<C>) {
    const { name, card } = options;
    this.name = name;
    this.title = card.title;
    this.where = card.where;
    this.languages = card.languages;
    this.keys = new Keys(name, card, options.secrets, (address) =>
      addressOf(address, {}, this.options.standins),
    );
    if (card.wire === 'process') return;
    this.watch = setInterval(() => void (this.state.state === 'down' && this.warm().catch(() => undefined)), LOOK_AGAIN_MS); // prettier-ignore
    this.watch.unref();
  }

  readiness(): Readiness {
    return this.state;
  }

  /** A key is there, something listens, and a connection is open for the first caller. @throws EngineFault */
  async warm(): Promise<void> {
    const { card } = this.options;
    try {
      this.keys.check();
      await this.keys.fresh();
      if (card.wire === 'socket') await this.sockets.warm(this.door(this.values({})));
      else if (card.wire === 'http') await this.knock(card.health);
      this.state = { state: 'ready' };
    } catch (error) {
      const fault = error instanceof EngineFault ? error : new EngineFault('engine-down', String(error));
      this.state = { state: 'down', why: this.hide(fault.detail) };
      throw new EngineFault(fault.code, this.state.why);
    }
  }

  close(): Promise<void> {
    clearInterval(this.watch);
    this.sockets.closeAll();
    return Promise.resolve();
  }

  /** What is kept for a talk goes: the talk is over. */
  forget(talk: string): void {
    this.sockets.forget(talk);
  }

  /** The server behind it is being started, or has ended. */
  serverIs(state: Readiness): void {
    this.state = state;
  }

  /** What stands for the names in the card's templates. */
  protected values(own: Values): Values {
    return { ...this.options.card.settings, ...own, ...this.keys.values };
  }

  /**
   * Makes a request whose body is known, and reads its answer. It is made again where the card allows it and nothing of an answer
   * had come, and once with another token where the engine does not take the one it was given.
   * @throws EngineFault
   */
  protected async *answerTo(own: Values, signal: AbortSignal, body?: Body): AsyncIterable<Incoming> {
    let retries = this.options.card.retries ?? 0;
    for (let waitMs = RETRY_MS; ; waitMs *= 2) {
      let came = false;
      try {
        await this.keys.fresh();
        const exchange = this.ask(this.values(own), signal, body);
        for await (const one of exchange.incoming) {
          came = true;
          yield one;
        }
        return;
      } catch (error) {
        if (came || signal.aborted || !(error instanceof EngineFault)) throw error;
        if (error.code === 'engine-key-wrong' && this.keys.drop()) continue;
        const wantsMs = error.retryMs ?? waitMs * (0.5 + Math.random());
        if (retries-- <= 0 || !PASSING.has(error.code) || wantsMs > MOST_RETRY_MS) throw error;
        await sleep(wantsMs, undefined, { signal }).catch(() => undefined);
        signal.throwIfAborted();
      }
    }
  }

  private ask(values: Values, signal: AbortSignal, body: Body | undefined): Exchange {
    const exchange = this.exchange(values, signal, { streamed: false, type: body?.type });
    if (body) exchange.send(body.bytes);
    else this.openWith(exchange, values);
    exchange.finish();
    return exchange;
  }

  /** @param how is the body sent as it comes? and what it is, where the card does not say it */
  protected exchange(
    values: Values,
    signal: AbortSignal,
    how: { streamed: boolean; type?: string | undefined },
  ): Exchange {
    const { name, card, trace } = this.options;
    const exchange = this.begin(values, signal, how);
    if (!trace) return exchange;
    if (card.wire !== 'process') trace(name, 'asked', `at ${this.hide(this.url(values).href)}`);
    return traced(exchange, (what, text) => trace(name, what, this.hide(text)));
  }

  private begin(
    values: Values,
    signal: AbortSignal,
    how: { streamed: boolean; type?: string | undefined },
  ): Exchange {
    // Whoever has gone before anything was sent costs the engine nothing.
    signal.throwIfAborted();
    this.keys.check();
    const { name, card, folder } = this.options;
    const { send, receive } = card;
    const form = receive.form ?? 'whole';
    if (card.wire === 'socket')
      return this.sockets.open({ ...this.door(values), ...this.onSocket(values), signal });
    const cut = form === 'messages' ? 'lines' : (form as Parameters<typeof cutInto>[0]);
    if (card.wire === 'process') {
      const command = card.command.map((part) => String(fill(part, values)));
      const env = card.secret === undefined ? {} : { [card.secret]: this.keys.secret! };
      return withProcess({ name, command, folder, form: cut, hide: this.hide, env, signal });
    }
    const type = how.type ?? (typeof send.open?.[0] === 'object' ? 'application/json' : undefined);
    const headers = { ...(type === undefined ? {} : { 'content-type': type }), ...this.headers(values) };
    const { streamed } = how;
    const method = send.method ?? 'POST';
    return overHttpExchange({ name, method, url: this.url(values), headers, form: cut, streamed, hide: this.hide, signal }); // prettier-ignore
  }

  /** A request beside the others, at another path of the address; what is answered does not matter. @throws EngineFault */
  protected async tell(path: string, message: (values: Values) => string, own: Values): Promise<void> {
    await this.keys.fresh();
    const { name, hide } = this;
    const values = this.values(own);
    const url = this.url(values, path);
    url.protocol = url.protocol.replace('ws', 'http');
    const headers = { 'content-type': 'application/json', ...this.headers(values) };
    const signal = AbortSignal.timeout(HEALTH_PATIENCE_MS);
    const exchange = overHttpExchange({ name, method: 'POST', url, headers, form: 'sound', streamed: false, hide, signal }); // prettier-ignore
    exchange.send(message(values));
    exchange.finish();
    for await (const part of exchange.incoming) void part;
  }

  /** How a socket is talked to, besides where it is. */
  private onSocket(values: Values) {
    const { keepAlive, greeted, connection, cancel } = this.options.card.send;
    const text = (template: unknown) => textOf(fill(template, values));
    return {
      talk: connection === 'talk' ? String(values.talk) : null,
      opening: connection === 'talk' ? (this.options.card.send.open ?? []).map(text) : [],
      keepAlive: keepAlive && { everyMs: keepAlive.everyMs, message: text(keepAlive.message) },
      cancel: (cancel ?? []).map(text),
      greeted: greeted
        ? (message: string) => {
            const told = parsed(message);
            if (!fits(greeted, told)) return null;
            const taken = Object.entries(greeted.take ?? {}).map(([name, pointer]) => [
              name,
              at(told, pointer),
            ]);
            const known = { ...values, ...(Object.fromEntries(taken) as Values) };
            return (greeted.reply ?? []).map((one) => textOf(fill(one, known)));
          }
        : null,
    };
  }

  /** The card's opening messages, or its one body. */
  protected openWith(exchange: Exchange, values: Values): void {
    const { open, connection, begin } = this.options.card.send;
    const first = connection === 'talk' ? begin : open;
    for (const one of first ?? []) exchange.send(textOf(fill(one, values)));
  }

  /** A fault as it may be told: without the key. */
  protected told(error: unknown): EngineFault {
    const fault =
      error instanceof EngineFault ? error : new EngineFault('engine-down', `${this.name}: ${String(error)}`);
    if (fault.code === 'engine-down' || fault.code === 'engine-key-wrong')
      this.state = { state: 'down', why: this.hide(fault.detail) };
    const told = new EngineFault(fault.code, this.hide(fault.detail), fault.retryMs);
    told.isOfRequest = fault.isOfRequest;
    return told;
  }

  protected answered(): void {
    this.state = { state: 'ready' };
  }

  /** Takes the key out of a text that is shown. */
  protected readonly hide: Hide = (text) => this.keys.hide(text);

  private door(values: Values) {
    const protocols = (this.options.card.send.protocols ?? []).map((one) => String(fill(one, values)));
    return {
      name: this.name,
      url: this.url(values),
      headers: this.headers(values),
      protocols,
      hide: this.hide,
    };
  }

  private headers(values: Values): Record<string, string> {
    const { headers } = this.options.card;
    return Object.fromEntries(
      Object.entries(headers ?? {}).map(([key, text]) => [key, String(fill(text, values) ?? '')]),
    );
  }

  private url(values: Values, path?: string): URL {
    const { card } = this.options;
    if (card.wire === 'process') throw new Error('a process has no address');
    const url = addressOf(card.address, values, this.options.standins);
    for (const [key, text] of Object.entries(card.query ?? {})) {
      const value = fill(text, values);
      if (value !== undefined && value !== '') url.searchParams.set(key, String(value));
    }
    if (path !== undefined) return new URL(path, url);
    if (card.wire === 'socket') url.protocol = url.protocol.replace('http', 'ws');
    return url;
  }

  private async knock(health: string | undefined): Promise<void> {
    const abort = AbortSignal.timeout(HEALTH_PATIENCE_MS);
    const values = this.values({});
    const url = this.url(values, health ?? '/');
    const { name } = this;
    const exchange = overHttpExchange({
      name,
      method: 'GET',
      url,
      headers: this.headers(values),
      form: 'sound',
      streamed: false,
      hide: this.hide,
      signal: abort,
    });
    exchange.finish();
    try {
      for await (const part of exchange.incoming) void part;
    } catch (error) {
      if (abort.aborted)
        throw new EngineFault('engine-late', `${url.host} is silent for ${HEALTH_PATIENCE_MS} ms`);
      // Without an address for health anything that answers will do; a wrong key is told only by the engine itself.
      const fault = error as EngineFault;
      if (health !== undefined || fault.code === 'engine-down') throw fault;
    }
  }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
