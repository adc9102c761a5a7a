/**
 * Somebody rings: who it is for, whether there is room, ringing while engines are made ready, and the answer.
 */
import type { CallerMessageOf } from '@verbalon/protocol';
import type { IncomingInviteRequest, IncomingRequestMessage } from 'sip.js/lib/core/index.js';
import { problemFrom } from '../problems/problem-from.js';
import type { ProblemCode } from '../problems/problems.js';
import { admit, type Admitted } from '../talk/call/admit.js';
import { beginCall } from '../talk/call/begin-call.js';
import type { Host } from '../talk/line/connection.js';
import { CLOCK_HZ } from './codecs.js';
import type { PhoneCall } from './phone-call.js';
import { readSdp, type RemoteSound } from './sdp.js';
import { isTooShort, LEAST_SESSION_S } from './session-timer.js';

/** Engines are waited for so long, in ms. */
const MOST_RINGING_MS = 20_000;
const LOOK_EVERY_MS = 200;

/** How a refusal is told in SIP. */
const STATUS: Partial<Record<ProblemCode, number>> = {
  'service-full': 486,
  'talks-too-many': 486,
  'assistant-unknown': 404,
  'phone-ports-used': 486,
};

export interface Incoming {
  host: Host;
  call: PhoneCall;
  request: IncomingInviteRequest;
  address: string;
  /** What is not ready yet of its assistant. */
  missing: () => string[];
}

/** @returns when it has been answered, refused or given up */
export async function takeIncoming({ host, call, request, address, missing }: Incoming): Promise<void> {
  const { message } = request;
  let isGone = false;
  request.delegate = {
    onCancel: () => {
      isGone = true;
      request.reject({ statusCode: 487 });
      call.finish('the caller', 'they hung up before it was answered', 'hungUp');
    },
  };
  const refuse = (statusCode: number, why: string, extraHeaders: string[] = []) => {
    if (isGone || call.over) return;
    if (call.dialog) return call.hangUp('the service', why, 'failed');
    request.reject({ statusCode, extraHeaders });
    call.finish('the service', why, 'refused');
  };
  const isOver = () => isGone || call.over;
  if (isTooShort(message))
    return refuse(422, 'its session would be too short', [`Min-SE: ${LEAST_SESSION_S}`]);
  const remote = message.body ? readSdp(message.body) : null;
  const wrong = whyNotSpoken(call, message.body, remote);
  if (wrong !== null) return refuse(488, wrong);
  call.enter('ringing', '');
  const arrive = arrival(call.names.assistant, message);
  try {
    const admitted = await admit(
      host,
      { peer: { address, host: '', secure: false }, origin: null },
      visitor(address),
      arrive,
    );
    if (isOver()) return admitted.release();
    try {
      await ringUntilReady(request, isOver, missing);
      await call.openSound();
    } catch (error) {
      admitted.release();
      throw error;
    }
    if (isOver()) return admitted.release();
    const { session } = request.accept({
      statusCode: 200,
      body: call.sdp(remote),
      extraHeaders: call.timed(message),
    });
    call.follow(session);
    if (remote) call.connect(remote);
    call.enter('connected', '');
    if (!remote) await acknowledged(call);
    if (call.over) return admitted.release();
    beginTalk(host, call, arrive, admitted);
  } catch (error) {
    const { code, detail } = problemFrom(error);
    if (code === 'internal') host.log.error(error);
    refuse(STATUS[code] ?? 503, detail, STATUS[code] === 486 ? ['Retry-After: 30'] : []);
  }
}

function whyNotSpoken(call: PhoneCall, body: string, remote: RemoteSound | null): string | null {
  if (remote) return call.whyNot(remote);
  return body ? 'it offers no sound that is spoken here: G.711 and G.722 are' : null;
}

/**
 * What they speak, where they did not offer it, comes with their acknowledgement; or the call ends without
 * one.
 */
function acknowledged(call: PhoneCall): Promise<void> {
  return new Promise((done) => {
    call.onSoundKnown = done;
    call.onEnd(() => done());
  });
}

/** The talk of a call whose sound is known. @param greeting it has been rung, and hears why */
export function beginTalk(
  host: Host,
  call: PhoneCall,
  arrive: CallerMessageOf<'arrive'>,
  admitted: Admitted,
  greeting?: string,
): void {
  const at = { ...arrive, audio: { ...arrive.audio, rateHz: call.rateHz } };
  call.begin(beginCall(host, at, admitted, call.line, greeting));
}

async function ringUntilReady(
  request: IncomingInviteRequest,
  isGone: () => boolean,
  missing: () => string[],
) {
  if (missing().length === 0) return;
  request.progress({ statusCode: 180 });
  const until = performance.now() + MOST_RINGING_MS;
  while (missing().length > 0 && performance.now() < until && !isGone())
    await new Promise((done) => setTimeout(done, LOOK_EVERY_MS));
}

const visitor = (address: string) => ({
  who: `telephone at ${address}`,
  key: null,
  scopes: ['talk' as const],
  address,
  limits: {},
});

function arrival(assistant: string, { from }: IncomingRequestMessage): CallerMessageOf<'arrive'> {
  const { displayName, uri } = from;
  return phoneArrival(assistant, uri.user ?? '', displayName);
}

/** How a telephone arrives at a talk. @param number of whoever is at the other end */
export function phoneArrival(
  assistant: string,
  number: string,
  name: string | undefined,
): CallerMessageOf<'arrive'> {
  const caller = {
    ...(number === '' ? {} : { id: number.slice(0, 200) }),
    ...(name ? { name: name.slice(0, 200) } : {}),
  };
  return {
    kind: 'arrive',
    assistant,
    line: 'phone',
    audio: { encoding: 's16le', rateHz: CLOCK_HZ },
    ...(Object.keys(caller).length > 0 ? { caller } : {}),
  };
}
