/**
 * What engines of all roles have in common that are described by a card: address, key, settings, readiness,
 * requests.
 */
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault, type Readiness } from '../common/contract.js';
import { addressOf } from './address.js';
import type { Exchange, Incoming } from './exchange.js';
import type { Body } from './form.js';
import { Keys } from './keys.js';
import { traced } from './traced.js';
import type { Hide } from './secrecy.js';
import { fill, textOf, type Values } from './template.js';
import { wireOf, type Sending, type Wire } from './wires.js';
import { setTimeout as sleep } from 'node:timers/promises';

/** Between checks whether an engine that was down has come back, in ms. */
const LOOK_AGAIN_MS = 2_000;
/**
 * Before a request is made again, in ms: about so long at first, twice as long each time; an engine that
 * wants more is not asked again.
 */
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
  private readonly wire: Wire;
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
    this.wire = wireOf(card, {
      ...options,
      hide: this.hide,
      secret: () => this.keys.secret,
    });
    if (!this.wire.isWatched) return;
    this.watch = setInterval(
      () => void (this.state.state === 'down' && this.warm().catch(() => undefined)),
      LOOK_AGAIN_MS,
    );
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
      const values = this.values({ language: card.languages[0] });
      await this.wire.warm(values);
      this.state = { state: 'ready' };
    } catch (error) {
      const fault = error instanceof EngineFault ? error : new EngineFault('engine-down', String(error));
      this.state = { state: 'down', why: this.hide(fault.detail) };
      throw new EngineFault(fault.code, this.state.why);
    }
  }

  close(): Promise<void> {
    clearInterval(this.watch);
    this.wire.close();
    return Promise.resolve();
  }

  /** What is kept for a talk goes: the talk is over. */
  forget(talk: string): void {
    this.wire.forget(talk);
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
   * Makes a request whose body is known, and reads its answer. It is made again where the card allows it and
   * nothing of an answer had come, and once with another token where the engine does not take the one it was
   * given.
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

  protected exchange(values: Values, signal: AbortSignal, how: Sending): Exchange {
    const { name, trace } = this.options;
    // Whoever has gone before anything was sent costs the engine nothing.
    signal.throwIfAborted();
    this.keys.check();
    const exchange = this.wire.open(values, signal, how);
    if (!trace) return exchange;
    const where = this.wire.where(values);
    if (where !== null) trace(name, 'asked', `at ${this.hide(where)}`);
    return traced(exchange, (what, text) => trace(name, what, this.hide(text)));
  }

  /**
   * A request beside the others, at another path of the address; what is answered does not matter.
   * @throws EngineFault
   */
  protected async tell(path: string, message: (values: Values) => string, own: Values): Promise<void> {
    await this.keys.fresh();
    const values = this.values(own);
    await this.wire.tell(values, path, message(values));
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
}
