/** Callers who want a person: who is told of it, who rings, and what becomes of those whom nobody takes. */
import type { HandOverFile, WaitingCaller } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { post, type WayAround } from '../../messages/ways.js';
import type { StayOf } from '../../common/ways-out.js';
import type { Call } from './call.js';

/** Somebody is waited for so long, in s. */
const USUAL_WAIT_S = 45;

export interface HandOversOptions {
  /** `handOver:` of project.yaml, as it is now. */
  file: () => HandOverFile | undefined;
  around: Pick<WayAround, 'standins' | 'secrets'>;
  /** Where the words of an assistant may go. */
  stayOf: (assistant: string) => StayOf;
  log: Logger;
  /** A telephone is rung, and whoever answers may take the call. @param failed nobody took it */
  announce: (call: Call, who: WaitingCaller, failed: (why: string) => void) => void;
}

interface Waiting {
  call: Call;
  who: WaitingCaller;
  timer: NodeJS.Timeout;
}

/** Is the caller's own telephone to ring somebody else? Then it is for the telephone to do. */
export const byCallersTelephone = (file: HandOverFile | undefined): boolean =>
  file !== undefined && file.to !== 'console' && !file.announce;

/** Where callers wait for a person. */
export interface PersonDesk {
  /** Those who wait now, whoever came first. */
  readonly list: WaitingCaller[];
  /** A caller wants a person. */
  ask(call: Call, about: Omit<WaitingCaller, 'conversation' | 'since'>): void;
  /** Somebody has taken it, or the caller has left. */
  settled(conversation: string): void;
}

export class HandOvers implements PersonDesk {
  private readonly waiting = new Map<string, Waiting>();

  constructor(private readonly options: HandOversOptions) {}

  get list(): WaitingCaller[] {
    return [...this.waiting.values()].map(({ who }) => who);
  }

  ask(call: Call, about: Omit<WaitingCaller, 'conversation' | 'since'>): void {
    const file = this.options.file();
    const { conversation } = call;
    if (!file || this.waiting.has(conversation) || call.company.person !== null) return;
    const who = { conversation, ...about, since: new Date().toISOString() };
    if (file.webhook !== undefined) void this.tell(file, file.webhook, who);
    if (byCallersTelephone(file)) return;
    const timer = setTimeout(
      () => this.fail(conversation, 'nobody took it'),
      (file.waitS ?? USUAL_WAIT_S) * 1_000,
    );
    this.waiting.set(conversation, { call, who, timer });
    if (file.to !== 'console') this.options.announce(call, who, (why) => this.fail(conversation, why));
  }

  settled(conversation: string): void {
    clearTimeout(this.waiting.get(conversation)?.timer);
    this.waiting.delete(conversation);
  }

  private fail(conversation: string, why: string): void {
    const one = this.waiting.get(conversation);
    if (!one) return;
    this.settled(conversation);
    one.call.session.happen({ kind: 'notHandedOver', detail: why });
  }

  private async tell({ secret, headers }: HandOverFile, address: string, who: WaitingCaller): Promise<void> {
    const { around, log } = this.options;
    const { conversation } = who;
    const sent = await post(
      { webhook: address, secret, headers },
      who,
      conversation,
      around,
      this.options.stayOf(who.assistant),
    );
    if (sent.is !== 'sent')
      log.warn({ conversation, why: sent.why }, 'nobody could be told that a caller wants a person');
  }
}
