/** Ringing somebody: for a talk, with a message, or for a caller who wants a person. */
import { fillIn, spokenLanguage } from '@verbalon/core';
import type { NewCall, WaitingCaller } from '@verbalon/protocol';
import type { Visitor } from '../access/visitor.js';
import type { Letter, Sent } from '../messages/ways.js';
import { problemFrom } from '../problems/problem-from.js';
import { ProblemError } from '../problems/problems.js';
import type { Assistant } from '../project/events.js';
import { admit } from '../talk/call/admit.js';
import { definedOnly } from '../talk/call/arrival.js';
import type { Call } from '../talk/call/call.js';
import type { Host } from '../talk/line/connection.js';
import { aloud } from '../tasks/aloud.js';
import { whyNotOut } from '../common/ways-out.js';
import { AnnouncedLine } from './announced.js';
import { beginTalk, phoneArrival } from './incoming.js';
import { readSipAddress, ring } from './outgoing.js';
import type { CallNames, PhoneCall } from './phone-call.js';
import { credentials, type Registration } from './registration.js';
import { SipEnd, type Station } from './sip-end.js';
import type { Peer } from './sip-sockets.js';

/** A message has been said and nobody says anything: after this it hangs up, in ms. */
const SILENT_AFTER_MESSAGE_MS = 15_000;
export const SIP_PORT = 5060;
export const SIP_TLS_PORT = 5061;
const PROTOCOLS: readonly Peer['protocol'][] = ['UDP', 'TCP', 'TLS'];

export interface RingerOptions {
  host: Host;
  station: () => Station;
  /** The number with which others are rung. */
  registration: () => Registration | undefined;
  isFull: () => boolean;
  newCall: (names: CallNames, end: SipEnd) => PhoneCall;
  known: (callId: string, end: SipEnd) => void;
}

/** The service itself, where it rings somebody without being asked by anybody. */
const ITSELF: Visitor = { who: 'the service', key: null, scopes: ['talk'], address: '', limits: {} };

interface Rung {
  assistant: Assistant;
  to: string;
  keys?: string | undefined;
  answered: (call: PhoneCall) => void;
}

export class Ringer {
  constructor(private readonly options: RingerOptions) {}

  /**
   * Rings somebody and talks. @throws ProblemError `phone-number-malformed`, `phone-ports-used`, and whatever
   * speaks against one more talk
   */
  async talk({ to, assistant: wanted, say, keys }: NewCall, visitor: Visitor): Promise<PhoneCall> {
    const { host } = this.options;
    const assistant = host.assistant(wanted);
    const why = whyNotOut(assistant.file.stay ?? null, this.addressFor(to).address.host);
    if (why !== null) throw new ProblemError('engine-forbidden', why);
    const arrive = phoneArrival(assistant.name, this.addressFor(to).address.user ?? '', undefined);
    const entry = { peer: { address: visitor.address, host: '', secure: false }, origin: null };
    const admitted = await admit(host, entry, visitor, arrive);
    let begun = false;
    try {
      const call = await this.ring({
        assistant,
        to,
        keys,
        answered: (one) => {
          begun = true;
          beginTalk(host, one, arrive, admitted, say);
        },
      });
      call.onEnd(() => begun || admitted.release());
      return call;
    } catch (error) {
      admitted.release();
      throw error;
    }
  }

  /** Rings somebody with a message. Never throws. */
  async deliver({ to, text }: Letter, assistantName: string): Promise<Sent> {
    try {
      const assistant = this.options.host.assistant(assistantName);
      const say = fillIn(assistant.plan.sayings.brings, { title: assistant.file.title, text });
      const call = await this.talk({ to, assistant: assistantName, say }, ITSELF);
      return await new Promise((resolve) => {
        call.line.onFirstSaid = (report) => {
          if (report.heard !== report.generated) return;
          resolve({ is: 'sent' });
          setTimeout(
            () =>
              call.line.turns === 1 &&
              call.hangUp('the service', 'the message was said, and nobody answered'),
            SILENT_AFTER_MESSAGE_MS,
          );
        };
        call.onEnd((by, cause) => {
          const said = call.line.firstSaid?.heard ?? '';
          const why = `the call was over: ${cause} (by ${by})`;
          resolve(said === '' ? { is: 'later', why } : { is: 'unknown', why });
        });
      });
    } catch (error) {
      const { code, detail } = problemFrom(error);
      return { is: code === 'phone-number-malformed' ? 'refused' : 'later', why: detail };
    }
  }

  /** Rings whoever takes over from the assistant, and says who wants what. */
  async announce(talk: Call, who: WaitingCaller, to: string, failed: (why: string) => void): Promise<void> {
    const { host } = this.options;
    try {
      const assistant = host.assistant(who.assistant);
      const announcement = await this.announcementOf(assistant, who);
      let isTaken = false;
      const call = await this.ring({
        assistant,
        to,
        answered: (one) => {
          const name = this.addressFor(to).address.user ?? 'a person';
          const line = new AnnouncedLine(one, talk, name, announcement, () => {
            isTaken = true;
          });
          one.sounds = line;
          one.watchSound();
        },
      });
      call.onEnd((_by, cause) => isTaken || failed(cause));
      talk.atEnd(() => call.hangUp('the service', 'the caller has left'));
    } catch (error) {
      host.log.warn({ why: String(error) }, 'nobody could be rung for a caller who wants a person');
      failed(problemFrom(error).detail);
    }
  }

  /** At the house's rate. */
  private async announcementOf(assistant: Assistant, { caller, known }: WaitingCaller): Promise<Int16Array> {
    const { file, plan } = assistant;
    const text = fillIn(plan.sayings.announces, {
      title: file.title,
      caller: caller.name || caller.id || '?',
      known: Object.entries(known)
        .map(([slot, value]) => `${slot}: ${value}.`)
        .join(' '),
    });
    const { tts } = this.options.host.engines.first(assistant);
    const voice = definedOnly(file.voice ?? {});
    const { samples } = await aloud(
      text,
      spokenLanguage(plan),
      { voice, stay: file.stay ?? null, signal: AbortSignal.timeout(20_000) },
      tts,
    );
    return samples;
  }

  private async ring({ assistant, to, keys = '', answered }: Rung): Promise<PhoneCall> {
    const { station, isFull, newCall, known } = this.options;
    const { address, via } = this.addressFor(to);
    if (isFull())
      throw new ProblemError('service-full', 'the telephone has as many calls as it may have at once');
    const peer = via?.peer ?? peerAt(to);
    const end = new SipEnd(
      station(),
      peer,
      via?.account.user ?? assistant.name,
      {},
      via && credentials(via.account),
    );
    const from = via ? readSipAddress(via.account.at)! : end.contact.clone();
    if (via) from.user = via.account.user;
    const call = newCall(
      { direction: 'out', from: from.toString(), to: address.toString(), assistant: assistant.name },
      end,
    );
    await ring({
      call,
      end,
      to: address,
      from,
      name: assistant.file.title,
      known: (callId) => known(callId, end),
      keys,
      answered: () => answered(call),
    }).catch((error: unknown) => {
      call.finish('the service', problemFrom(error).detail, 'refused');
      throw error;
    });
    return call;
  }

  /** @throws ProblemError `phone-number-malformed` */
  private addressFor(to: string) {
    const first = this.options.registration();
    if (/^\+?[0-9*#]{1,30}$/.test(to) && first) {
      const address = readSipAddress(first.account.at)!;
      address.user = to;
      return { address, via: first };
    }
    const address = readSipAddress(to);
    if (!address) throw new ProblemError('phone-number-malformed', `it is "${to}"`);
    return { address, via: undefined };
  }
}

/** Where a SIP address leads. @param over instead of what the address says */
export function peerAt(address: string, over?: string): Peer {
  const uri = readSipAddress(address)!;
  const named = (over ?? uri.getParam('transport') ?? '').toUpperCase();
  const protocol = PROTOCOLS.find((one) => one === named) ?? 'UDP';
  return { protocol, address: uri.host, port: uri.port ?? (protocol === 'TLS' ? SIP_TLS_PORT : SIP_PORT) };
}
