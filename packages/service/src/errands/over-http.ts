/**
 * An errand that is done by an HTTP request. What may have been done and what certainly was not are kept
 * apart.
 */
import type { RunOutcome } from '@verbalon/core';
import { addressOf, atPointer, fillTemplate, withSecret } from '@verbalon/engines';
import type { ErrandHttp } from '@verbalon/protocol';
import { boundedText } from '../common/bounded-text.js';
import { askOutside, whyNotOut, type StayOf } from '../common/ways-out.js';
import { MOST_ANSWER_BYTES, takenFrom } from './result.js';

const USUAL_DEADLINE_MS = 8_000;
/** What may be repeated is tried once more, so long later, in ms. */
const ASK_AGAIN_MS = 300;

export interface HttpAround {
  /** Addresses of the stand-ins, by their names. */
  standins: Readonly<Record<string, string>>;
  secrets: Readonly<Record<string, string | undefined>>;
  stay: StayOf;
  signal: AbortSignal;
  /** What went wrong, for the log; never a key. */
  tell(what: string): void;
}

/** What became of a request. `unknown`: it was sent, and nobody can tell whether it was done. */
type Sent =
  | { is: 'answered'; status: number; body: unknown }
  | { is: 'not sent'; why: string }
  | { is: 'unknown'; why: string };

/** @param values of the slots, and `run`: the key of the run */
export async function doneOverHttp(
  http: ErrandHttp,
  values: Readonly<Record<string, unknown>>,
  around: HttpAround,
): Promise<RunOutcome> {
  const attempts = http.mayRepeat ? 2 : 1;
  let last: RunOutcome = { ending: 'failed', given: {} };
  for (let i = 0; i < attempts; i++) {
    if (i > 0) await new Promise((done) => setTimeout(done, ASK_AGAIN_MS));
    const { method = 'POST', to, body } = http;
    last = outcomeOf(http, await send(http, { method, to, body }, values, around), around);
    if (last.ending !== 'unsure') return last;
    const known = await wasDone(http, values, around);
    if (known?.ending === 'done') return known;
    last = known ?? last;
    if (around.signal.aborted) break;
  }
  return last;
}

/** Asks whether a run was done. @returns null where nobody says */
export async function wasDone(
  http: ErrandHttp,
  values: Readonly<Record<string, unknown>>,
  around: HttpAround,
): Promise<RunOutcome | null> {
  if (!http.wasDone) return null;
  const { to, gives } = http.wasDone;
  // Whoever called it off wants to know it all the same.
  const asking = { ...around, signal: new AbortController().signal };
  const sent = await send(http, { method: 'GET', to, body: undefined }, values, asking);
  if (sent.is !== 'answered') return null;
  if (sent.status === 404) return { ending: around.signal.aborted ? 'cancelled' : 'failed', given: {} };
  const given = takenFrom(sent.body, gives ?? http.gives ?? {});
  return sent.status < 300 && given ? { ending: 'done', given } : null;
}

function outcomeOf(http: ErrandHttp, sent: Sent, { tell, signal }: HttpAround): RunOutcome {
  const notDone = signal.aborted ? ('cancelled' as const) : ('failed' as const);
  const unknown = (why: string): RunOutcome => {
    tell(why);
    return { ending: http.method === 'GET' ? notDone : 'unsure', given: {} };
  };
  if (sent.is === 'not sent') {
    tell(sent.why);
    return { ending: notDone, given: {} };
  }
  return sent.is === 'unknown' ? unknown(sent.why) : ofAnswer(http, sent, tell, unknown);
}

/** By the file's own outcomes, then by what the numbers of HTTP mean. */
function ofAnswer(
  http: ErrandHttp,
  { status, body }: Extract<Sent, { is: 'answered' }>,
  tell: HttpAround['tell'],
  unknown: (why: string) => RunOutcome,
): RunOutcome {
  const own = Object.entries(http.outcomes ?? {}).find(([, one]) => fits(one, status, body));
  const given = takenFrom(body, http.gives ?? {});
  if (own) {
    const [code, { asks, done }] = own;
    const asked = asks === undefined ? {} : { asks };
    return { ending: done ? 'done' : 'failed', code, given: given ?? {}, ...asked };
  }
  if (status < 400)
    return given && status < 300 ? { ending: 'done', given } : unknown(whyUnknown(http, status, body));
  if (status < 500) {
    tell(`it answers ${status}: ${JSON.stringify(body)?.slice(0, 300) ?? 'no JSON'}`);
    return { ending: 'failed', given: given ?? {} };
  }
  return unknown(`it answers ${status}`);
}

/** Why an answer that sounds well tells nothing. */
function whyUnknown({ gives = {} }: ErrandHttp, status: number, body: unknown): string {
  if (status >= 300) return `it sends elsewhere (${status}), and nobody follows`;
  return body === undefined
    ? 'what it answers is no JSON'
    : `what it answers has not all of ${Object.values(gives).join(', ')}`;
}

function fits(
  { status, at, is }: { status?: number | undefined; at?: string | undefined; is?: unknown },
  got: number,
  body: unknown,
): boolean {
  if (status === undefined && at === undefined) return false;
  if (status !== undefined && status !== got) return false;
  return (
    at === undefined || (is === undefined ? atPointer(body, at) !== undefined : atPointer(body, at) === is)
  );
}

async function send(
  http: ErrandHttp,
  { method, to, body }: { method: string; to: string; body: unknown },
  values: Readonly<Record<string, unknown>>,
  { standins, secrets, stay, signal }: HttpAround,
): Promise<Sent> {
  const secret = http.secret === undefined ? '' : secrets[http.secret];
  if (secret === undefined) return { is: 'not sent', why: `the variable ${http.secret} is not set` };
  let url: URL;
  try {
    url = addressOf(to, values, standins);
  } catch {
    return { is: 'not sent', why: `"${to}" is no address, or another one, when its slots are filled` };
  }
  const forbidden = whyNotOut(stay, url.hostname);
  if (forbidden !== null) return { is: 'not sent', why: forbidden };
  const deadlineMs = http.deadlineMs ?? USUAL_DEADLINE_MS;
  const deadline = AbortSignal.timeout(deadlineMs);
  const once = method === 'GET' ? {} : { 'idempotency-key': String(values.run) };
  const sent =
    body === undefined || method === 'GET' ? undefined : JSON.stringify(fillTemplate(body, values));
  try {
    const answer = await askOutside(stay, url, {
      method,
      headers: {
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...once,
        ...withSecret(http.headers, secret),
      },
      ...(sent === undefined ? {} : { body: sent }),
      signal: AbortSignal.any([deadline, signal]),
      redirect: 'manual',
    });
    return { is: 'answered', status: answer.status, body: await boundedJson(answer) };
  } catch (error) {
    return brokenOff(error, url.host, deadline.aborted ? deadlineMs : null);
  }
}

/** Codes of what never left this machine. */
const NEVER_SENT = ['ECONNREFUSED', 'ENOTFOUND', 'EAI_AGAIN', 'UND_ERR_CONNECT_TIMEOUT'];

/** @param lateMs how long it was waited for, where it was too long */
function brokenOff(error: unknown, host: string, lateMs: number | null): Sent {
  const code = causeCode(error);
  if (NEVER_SENT.includes(code)) return { is: 'not sent', why: `${host} cannot be reached (${code})` };
  const why =
    lateMs === null
      ? `${host} broke off (${code || (error as Error).name})`
      : `${host} did not answer in ${lateMs} ms`;
  return { is: 'unknown', why };
}

function causeCode(error: unknown): string {
  for (let one = error; one instanceof Error; one = one.cause) {
    const { code } = one as { code?: unknown };
    if (typeof code === 'string') return code;
  }
  return '';
}

/** Undefined for what is no JSON, or too much of it. */
async function boundedJson(answer: Response): Promise<unknown> {
  const text = await boundedText(answer, MOST_ANSWER_BYTES);
  try {
    return text === null ? undefined : (JSON.parse(text) as unknown);
  } catch {
    return undefined;
  }
}
