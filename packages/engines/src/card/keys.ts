/**
 * What opens the door of an engine: a key from the environment, or a token that is fetched with it and
 * renewed before it runs out.
 */
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault } from '../common/contract.js';
import { MOST_REFUSAL_BYTES, reasonOf, refusedWith } from './exchange.js';
import { at } from './pointer.js';
import { hiding, type Hide } from './secrecy.js';
import { fill, type Values } from './template.js';

/** A token is renewed when so much of its time is left. */
const RENEW_SHARE = 0.2;
/** Where nothing says how long it holds, in s. */
const USUAL_HOLD_S = 600;
const PATIENCE_MS = 5_000;
const MOST_TOKEN_CHARACTERS = 20_000;

type TokenPart = NonNullable<WiredCard['token']>;

export class Keys {
  private token: { value: string; renewMs: number } | null = null;
  private fetching: Promise<string> | null = null;
  private hideAll: Hide;

  constructor(
    private readonly name: string,
    private readonly card: WiredCard,
    private readonly secrets: Readonly<Record<string, string | undefined>>,
    /** An address of the card as it is asked. */
    private readonly url: (address: string) => URL,
  ) {
    this.hideAll = hiding(this.secret);
  }

  /** Without the line's end that an editor or `echo` leaves behind it. */
  get secret(): string | undefined {
    const { secret } = this.card;
    return secret === undefined ? undefined : this.secrets[secret]?.trim();
  }

  /** Takes the key and the token out of a text that is shown. */
  readonly hide: Hide = (text) => this.hideAll(text);

  /** @throws EngineFault `engine-key-missing`, `engine-key-wrong` */
  check(): void {
    const { secret: name } = this.card;
    const { secret } = this;
    if (name === undefined) return;
    if (!secret) throw new EngineFault('engine-key-missing', `the environment variable ${name} is not set`);
    if (!/^[\x20-\x7e]+$/.test(secret))
      throw new EngineFault(
        'engine-key-wrong',
        `the environment variable ${name} holds a character that no key has: a line's end within it, a tab, or a letter beyond ASCII`,
      );
  }

  /** What {secret}, {basic} and {token} stand for. */
  get values(): Values {
    const { secret, token } = this;
    const { user } = this.card;
    const login = user === undefined ? secret : `${user}:${secret}`;
    return {
      ...(secret === undefined ? {} : { secret, basic: Buffer.from(login!).toString('base64') }),
      ...(token === null ? {} : { token: token.value }),
    };
  }

  /** Has a token that holds, where the card wants one. @throws EngineFault */
  async fresh(): Promise<void> {
    const part = this.card.token;
    if (!part) return;
    this.check();
    const { token } = this;
    const now = performance.now();
    if (token && now < token.renewMs) return;
    this.fetching ??= this.fetch(part).finally(() => (this.fetching = null));
    await this.fetching;
  }

  /**
   * The engine does not take the token any more. @returns whether there was one, which may be fetched anew
   */
  drop(): boolean {
    const had = this.token !== null;
    this.token = null;
    return had;
  }

  /** What is answered, as JSON. @throws EngineFault */
  private async tokenAnswer(
    url: URL,
    request: RequestInit,
    fail: (what: string) => EngineFault,
  ): Promise<unknown> {
    const asked = fetch(url, request).then(async (answer) => ({ answer, text: await answer.text() }));
    const { answer, text } = await asked.catch((error: unknown) => {
      throw fail(reasonOf((error as Error).cause ?? error));
    });
    if (!answer.ok) {
      const shown = text.slice(0, MOST_REFUSAL_BYTES);
      const fault = refusedWith(`${this.name}, for its token,`, answer.status, shown, this.hide);
      throw new EngineFault(fault.code, fault.detail, fault.retryMs);
    }
    try {
      return JSON.parse(text) as unknown;
    } catch {
      throw fail('what it answers is not JSON');
    }
  }

  private async fetch(part: TokenPart): Promise<string> {
    const { name } = this;
    const url = this.url(part.post);
    const fail = (what: string) =>
      new EngineFault('engine-down', `${name}: no token from ${url.host}: ${what}`);
    const headers = Object.fromEntries(
      Object.entries(part.headers ?? {}).map(([key, text]) => [key, String(fill(text, this.values) ?? '')]),
    );
    const sent = fill(part.send ?? {}, this.values);
    const body = part.asForm ? new URLSearchParams(sent as Record<string, string>) : JSON.stringify(sent);
    const type = part.asForm ? {} : { 'content-type': 'application/json' };
    const signal = AbortSignal.timeout(PATIENCE_MS);
    const request = { method: 'POST', headers: { ...type, ...headers }, body, signal };
    const told = await this.tokenAnswer(url, request, fail);
    const value = at(told, part.read);
    if (typeof value !== 'string' || value === '' || value.length > MOST_TOKEN_CHARACTERS)
      throw fail(`there is none at ${part.read} of its answer`);
    const holds = part.holdsS === undefined ? undefined : at(told, part.holdsS);
    const holdS = typeof holds === 'number' && holds > 0 ? holds : (part.everyS ?? USUAL_HOLD_S);
    this.token = { value, renewMs: performance.now() + holdS * 1000 * (1 - RENEW_SHARE) };
    const [hideSecret, hideToken] = [hiding(this.secret), hiding(value)];
    this.hideAll = (shown) => hideToken(hideSecret(shown));
    return value;
  }
}
