/** An errand that is done by an HTTP request. What may have been done and what certainly was not are kept apart. */
import type { RunOutcome } from '@verbalon/core';
import { addressOf, atPointer, fillTemplate, withSecret } from '@verbalon/engines';
import type { ErrandHttp } from '@verbalon/protocol';
import { boundedText } from '../bounded-text.js';
import { MOST_ANSWER_BYTES, takenFrom } from './result.js';

const USUAL_DEADLINE_MS = 8_000;
/** What may be repeated is tried once more, so long later, in ms. */
const ASK_AGAIN_MS = 300;

export interface HttpAround {
  /** Addresses of the stand-ins, by their names. */
  standins: Readonly<Record<string, string>>;
  secrets: Readonly<Record<string, string | undefined>>;
  /** Why this host may not be asked, or null. */
  forbids(host: string): string | null;
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
  const isHarmless = http.method === 'GET';
  const unknown = (why: string): RunOutcome => {
    tell(why);
    return {
      ending: signal.aborted && isHarmless ? 'cancelled' : isHarmless ? 'failed' : 'unsure',
      given: {},
    };
  };
  if (sent.is === 'not sent') {
    tell(sent.why);
    return { ending: signal.aborted ? 'cancelled' : 'failed', given: {} };
  }
  if (sent.is === 'unknown') return unknown(sent.why);
  const { status, body } = sent;
  const own = Object.entries(http.outcomes ?? {}).find(([, one]) => fits(one, status, body));
  const given = takenFrom(body, http.gives ?? {});
  if (own) {
    const [code, { asks, done }] = own;
    return {
      ending: done ? 'done' : 'failed',
      code,
      given: given ?? {},
      ...(asks === undefined ? {} : { asks }),
    };
  }
  if (status >= 500) return unknown(`it answers ${status}`);
  if (status >= 400) {
    tell(`it answers ${status}: ${JSON.stringify(body)?.slice(0, 300) ?? 'no JSON'}`);
    return { ending: 'failed', given: given ?? {} };
  }
  if (status >= 300) return unknown(`it sends elsewhere (${status}), and nobody follows`);
  if (given) return { ending: 'done', given };
  return unknown(body === undefined ? 'what it answers is no JSON' : `what it answers has not all of ${Object.values(http.gives ?? {}).join(', ')}`); // prettier-ignore
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
  { standins, secrets, forbids, signal }: HttpAround,
): Promise<Sent> {
  const secret = http.secret === undefined ? '' : secrets[http.secret];
  if (secret === undefined) return { is: 'not sent', why: `the variable ${http.secret} is not set` };
  let url: URL;
  try {
    url = addressOf(to, values, standins);
  } catch {
    return { is: 'not sent', why: `"${to}" is no address when its slots are filled` };
  }
  const forbidden = forbids(url.hostname);
  if (forbidden !== null) return { is: 'not sent', why: forbidden };
  const deadline = AbortSignal.timeout(http.deadlineMs ?? USUAL_DEADLINE_MS);
  try {
    const answer = await fetch(url, {
      method,
      headers: {
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(method === 'GET' ? {} : { 'idempotency-key': String(values.run) }),
        ...withSecret(http.headers, secret),
      },
      ...(body === undefined || method === 'GET' ? {} : { body: JSON.stringify(fillTemplate(body, values)) }),
      signal: AbortSignal.any([deadline, signal]),
      redirect: 'manual',
    });
    return { is: 'answered', status: answer.status, body: await boundedJson(answer) };
  } catch (error) {
    const code = causeCode(error);
    const neverSent = code === 'ECONNREFUSED' || code === 'ENOTFOUND' || code === 'EAI_AGAIN' || code === 'UND_ERR_CONNECT_TIMEOUT'; // prettier-ignore
    if (neverSent) return { is: 'not sent', why: `${url.host} cannot be reached (${code})` };
    const late = deadline.aborted
      ? `${url.host} did not answer in ${http.deadlineMs ?? USUAL_DEADLINE_MS} ms`
      : null;
    return { is: 'unknown', why: late ?? `${url.host} broke off (${code || (error as Error).name})` };
  }
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
