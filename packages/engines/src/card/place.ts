/** Where an engine is, and with which headers it is asked: of cards with an address. */
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault } from '../common/contract.js';
import { addressOf, filledAddress } from './address.js';
import { overHttpExchange } from './http-exchange.js';
import type { Hide } from './secrecy.js';
import { fill, type Values } from './template.js';

/** A request beside the others is waited for so long, in ms. */
const PATIENCE_MS = 3_000;

export type PlacedCard = Exclude<WiredCard, { wire: 'process' }>;

export class Place {
  constructor(
    readonly name: string,
    private readonly card: PlacedCard,
    private readonly standins: Readonly<Record<string, string>>,
    readonly hide: Hide,
  ) {}

  /** @param path of the same host, in place of the address's own */
  url(values: Values, path?: string): URL {
    const { card, standins } = this;
    const url = (path === undefined ? addressOf : filledAddress)(card.address, values, standins);
    for (const [key, text] of Object.entries(card.query ?? {})) {
      const value = fill(text, values);
      if (value !== undefined && value !== '') url.searchParams.set(key, String(value));
    }
    return path === undefined ? url : new URL(path, url);
  }

  headers(values: Values): Record<string, string> {
    return Object.fromEntries(
      Object.entries(this.card.headers ?? {}).map(([key, text]) => [key, String(fill(text, values) ?? '')]),
    );
  }

  /**
   * A request beside the others, at another path of the address; what is answered does not matter.
   * @throws EngineFault
   */
  async tell(values: Values, path: string, body: string | null): Promise<void> {
    const url = this.url(values, path);
    url.protocol = url.protocol.replace('ws', 'http');
    const signal = AbortSignal.timeout(PATIENCE_MS);
    const type = body === null ? {} : { 'content-type': 'application/json' };
    const exchange = overHttpExchange({
      name: this.name,
      method: body === null ? 'GET' : 'POST',
      url,
      headers: { ...type, ...this.headers(values) },
      form: 'sound',
      streamed: false,
      hide: this.hide,
      signal,
    });
    if (body !== null) exchange.send(body);
    exchange.finish();
    try {
      for await (const part of exchange.incoming) void part;
    } catch (error) {
      if (!signal.aborted) throw error;
      throw new EngineFault('engine-late', `${url.host} is silent for ${PATIENCE_MS} ms`);
    }
  }
}
