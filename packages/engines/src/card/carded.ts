/** What engines of all roles have in common that are described by a card: address, key, settings, readiness, requests. */
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault, type Readiness } from '../contract.js';
import type { cutInto, Exchange } from './exchange.js';
import { overHttpExchange } from './http-exchange.js';
import { withProcess } from './process-exchange.js';
import { Sockets } from './socket-exchange.js';
import { hiding, type Hide } from './secrecy.js';
import { fill, type Values } from './template.js';

/** Between checks whether an engine that was down has come back, in ms. */
const LOOK_AGAIN_MS = 2_000;
const HEALTH_PATIENCE_MS = 3_000;

export interface CardOptions<C extends WiredCard = WiredCard> {
  name: string;
  card: C;
  /** Where `standin:NAME` is. */
  standins: Readonly<Record<string, string>>;
  /** The environment: keys by their names. */
  secrets: Readonly<Record<string, string | undefined>>;
  /** Where programs are started. */
  folder: string;
}

export abstract class CardedEngine<C extends WiredCard> {
  readonly name: string;
  readonly title: string;
  readonly where: 'on-machine' | 'cloud';
  readonly languages: readonly string[];
  private state: Readiness = { state: 'loading' };
  private readonly watch: NodeJS.Timeout | undefined;
  private readonly sockets = new Sockets();

  constructor(protected readonly options: CardOptions<C>) {
    const { name, card } = options;
    this.name = name;
    this.title = card.title;
    this.where = card.where;
    this.languages = card.languages;
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
      this.checkKey();
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
    this.sockets.close();
    return Promise.resolve();
  }

  /** The server behind it is being started, or has ended. */
  serverIs(state: Readiness): void {
    this.state = state;
  }

  /** What stands for the names in the card's templates. */
  protected values(own: Values): Values {
    return { ...this.options.card.settings, ...own, secret: this.secret };
  }

  protected exchange(values: Values, signal: AbortSignal): Exchange {
    // Whoever has gone before anything was sent costs the engine nothing.
    signal.throwIfAborted();
    this.checkKey();
    const { name, card, folder } = this.options;
    const { send, receive } = card;
    const form = receive.form ?? 'whole';
    if (card.wire === 'socket') {
      const { keepAlive } = send;
      return this.sockets.open({
        ...this.door(values),
        keepAlive: keepAlive && {
          everyMs: keepAlive.everyMs,
          message: textOf(fill(keepAlive.message, values)),
        },
        cancel: (send.cancel ?? []).map((one) => textOf(fill(one, values))),
        signal,
      });
    }
    const cut = form === 'messages' ? 'lines' : (form as Parameters<typeof cutInto>[0]);
    if (card.wire === 'process') {
      const command = card.command.map((part) => String(fill(part, values)));
      const env = card.secret === undefined ? {} : { [card.secret]: this.secret! };
      return withProcess({ name, command, folder, form: cut, hide: this.hide, env, signal });
    }
    const json = typeof send.open?.[0] === 'object' ? { 'content-type': 'application/json' } : {};
    const headers = { ...json, ...this.headers(values) };
    return overHttpExchange({
      name,
      method: send.method ?? 'POST',
      url: this.url(values),
      headers,
      form: cut,
      hide: this.hide,
      signal,
    });
  }

  /** The card's opening messages, or its one body. */
  protected openWith(exchange: Exchange, values: Values): void {
    for (const one of this.options.card.send.open ?? []) exchange.send(textOf(fill(one, values)));
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

  /** Without the line's end that an editor or `echo` leaves behind it. */
  private get secret(): string | undefined {
    const { card, secrets } = this.options;
    return card.secret === undefined ? undefined : secrets[card.secret]?.trim();
  }

  private checkKey(): void {
    const { secret: name } = this.options.card;
    const { secret } = this;
    if (name === undefined) return;
    if (!secret) throw new EngineFault('engine-key-missing', `the environment variable ${name} is not set`);
    if (!/^[\x20-\x7e]+$/.test(secret))
      throw new EngineFault(
        'engine-key-wrong',
        `the environment variable ${name} holds a character that no key has: a line's end within it, a tab, or a letter beyond ASCII`,
      );
  }

  /** Takes the key out of a text that is shown. */
  protected readonly hide: Hide = (text) => {
    this.hideSecret ??= hiding(this.secret);
    return this.hideSecret(text);
  };
  private hideSecret: Hide | null = null;

  private door(values: Values) {
    return { name: this.name, url: this.url(values), headers: this.headers(values), hide: this.hide };
  }

  private headers(values: Values): Record<string, string> {
    const { headers } = this.options.card;
    return Object.fromEntries(
      Object.entries(headers ?? {}).map(([key, text]) => [key, String(fill(text, values) ?? '')]),
    );
  }

  private url(values: Values, path?: string): URL {
    const { card, standins } = this.options;
    if (card.wire === 'process') throw new Error('a process has no address');
    const address = card.address.replace(/^standin:([a-z0-9-]+)/, (_, name: string) =>
      Object.hasOwn(standins, name) ? standins[name]! : 'http://127.0.0.1:9',
    );
    const safe = Object.fromEntries(
      Object.entries(values).map(([key, one]) => [key, encodeURIComponent(String(one ?? ''))]),
    );
    const url = new URL(String(fill(address, safe)));
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

export const textOf = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value));
