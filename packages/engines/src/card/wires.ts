/** How a card's engine is talked to: over HTTP, over a socket, or as a program. */
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault } from '../common/contract.js';
import { emptySegment } from './address.js';
import type { cutInto, Exchange } from './exchange.js';
import { overHttpExchange } from './http-exchange.js';
import { Place, type PlacedCard } from './place.js';
import { at } from './pointer.js';
import { withProcess } from './process-exchange.js';
import { fits } from './reader.js';
import type { Hide } from './secrecy.js';
import { Sockets } from './socket-exchange.js';
import { fill, textOf, type Values } from './template.js';

/** How a body goes out: as it comes? And what it is, where the card does not say it. */
export interface Sending {
  streamed: boolean;
  type?: string | undefined;
}

export interface Wire {
  /** Something is there that may go away and come back: it is looked for. */
  readonly isWatched: boolean;
  /** Something listens, and a connection is open for the first caller. @throws EngineFault */
  warm(values: Values): Promise<void>;
  open(values: Values, signal: AbortSignal, sending: Sending): Exchange;
  /** A request beside the others. @throws EngineFault */
  tell(values: Values, path: string, body: string): Promise<void>;
  /** Where it is asked, for the log; null for a program. */
  where(values: Values): string | null;
  /** What is kept for a talk goes. */
  forget(talk: string): void;
  close(): void;
}

export interface WireParts {
  name: string;
  /** Where `standin:NAME` is. */
  standins: Readonly<Record<string, string>>;
  /** Where programs are started. */
  folder: string;
  hide: Hide;
  /** The key of a card that names one. */
  secret: () => string | undefined;
}

type Form = Parameters<typeof cutInto>[0];
/** Messages of a program, or of an answer over HTTP, are lines. */
const formOf = ({ receive }: WiredCard): Form =>
  receive.form === 'messages' ? 'lines' : ((receive.form ?? 'whole') as Form);

class HttpWire implements Wire {
  readonly isWatched = true;
  private readonly place: Place;

  constructor(
    private readonly card: Extract<WiredCard, { wire: 'http' }>,
    { name, standins, hide }: WireParts,
  ) {
    this.place = new Place(name, card, standins, hide);
  }

  async warm(values: Values): Promise<void> {
    const { health } = this.card;
    try {
      await this.place.tell(values, health ?? '/', null);
    } catch (error) {
      // Without an address for health anything that answers will do; a wrong key is told only by the engine
      // itself.
      const { code } = error as EngineFault;
      if (health !== undefined || code === 'engine-down' || code === 'engine-late') throw error;
    }
  }

  open(values: Values, signal: AbortSignal, { streamed, type }: Sending): Exchange {
    const { send } = this.card;
    const { name, hide } = this.place;
    const own = type ?? (typeof send.open?.[0] === 'object' ? 'application/json' : undefined);
    return overHttpExchange({
      name,
      method: send.method ?? 'POST',
      url: this.place.url(values),
      headers: { ...(own === undefined ? {} : { 'content-type': own }), ...this.place.headers(values) },
      form: formOf(this.card),
      streamed,
      hide,
      signal,
    });
  }

  tell = (values: Values, path: string, body: string) => this.place.tell(values, path, body);
  where = (values: Values) => this.place.url(values).href;
  forget(): void {}
  close(): void {}
}

class SocketWire implements Wire {
  readonly isWatched = true;
  private readonly place: Place;
  private readonly sockets = new Sockets();

  constructor(
    private readonly card: Extract<PlacedCard, { wire: 'socket' }>,
    { name, standins, hide }: WireParts,
  ) {
    this.place = new Place(name, card, standins, hide);
  }

  async warm(values: Values): Promise<void> {
    // Where its address depends on what is asked, the first request opens the connection.
    if (emptySegment(this.card.address, values) === undefined) await this.sockets.warm(this.door(values));
  }

  open(values: Values, signal: AbortSignal): Exchange {
    const { keepAlive, greeted, connection, cancel, open } = this.card.send;
    const text = (template: unknown) => textOf(fill(template, values));
    return this.sockets.open({
      ...this.door(values),
      talk: connection === 'talk' ? String(values.talk) : null,
      opening: connection === 'talk' ? (open ?? []).map(text) : [],
      keepAlive: keepAlive && { everyMs: keepAlive.everyMs, message: text(keepAlive.message) },
      cancel: (cancel ?? []).map(text),
      greeted: greeted ? (message) => repliesTo(greeted, message, values) : null,
      signal,
    });
  }

  private door(values: Values) {
    const { name, hide } = this.place;
    const protocols = (this.card.send.protocols ?? []).map((one) => String(fill(one, values)));
    return { name, url: this.url(values), headers: this.place.headers(values), protocols, hide };
  }

  private url(values: Values): URL {
    const url = this.place.url(values);
    url.protocol = url.protocol.replace('http', 'ws');
    return url;
  }

  tell = (values: Values, path: string, body: string) => this.place.tell(values, path, body);
  where = (values: Values) => this.url(values).href;
  forget = (talk: string) => this.sockets.forget(talk);
  close = () => this.sockets.closeAll();
}

/** What is said to an engine's greeting, with what it told; null for another message. */
function repliesTo(
  greeted: NonNullable<PlacedCard['send']['greeted']>,
  message: string,
  values: Values,
): string[] | null {
  const told = parsed(message);
  if (!fits(greeted, told)) return null;
  const taken = Object.entries(greeted.take ?? {}).map(([name, pointer]) => [name, at(told, pointer)]);
  const known = { ...values, ...(Object.fromEntries(taken) as Values) };
  return (greeted.reply ?? []).map((one) => textOf(fill(one, known)));
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

class ProcessWire implements Wire {
  readonly isWatched = false;

  constructor(
    private readonly card: Extract<WiredCard, { wire: 'process' }>,
    private readonly parts: WireParts,
  ) {}

  warm = () => Promise.resolve();

  open(values: Values, signal: AbortSignal): Exchange {
    const { name, folder, hide, secret } = this.parts;
    const command = this.card.command.map((part) => String(fill(part, values)));
    const env = this.card.secret === undefined ? {} : { [this.card.secret]: secret()! };
    return withProcess({ name, command, folder, form: formOf(this.card), hide, env, signal });
  }

  tell(): Promise<void> {
    throw new EngineFault('engine-refused', `${this.parts.name} is a program: it has no address`);
  }

  where = () => null;
  forget(): void {}
  close(): void {}
}

export function wireOf(card: WiredCard, parts: WireParts): Wire {
  switch (card.wire) {
    case 'http':
      return new HttpWire(card, parts);
    case 'socket':
      return new SocketWire(card, parts);
    case 'process':
      return new ProcessWire(card, parts);
  }
}
