/** How a message goes out: by SMTP, or as a POST to an address. */
import { createTransport } from 'nodemailer';
import type { MessageWay } from '@verbalon/protocol';
import { standinAddress, withSecret } from '@verbalon/engines';
import { askOutside, whyNotOut, type StayOf } from '../common/ways-out.js';

/** A server that takes longer has failed, in ms. */
const PATIENCE_MS = 10_000;

export interface Letter {
  /** Of the delivery: whoever gets it twice knows by it. */
  id: string;
  /** Where it goes, and to whom. */
  to: string;
  name: string;
  /** Who sent it, as far as it is known. */
  from: string;
  subject: string;
  text: string;
}

/**
 * `later`: it was not taken, and may be tried again; `refused`: it never will be; `unknown`: it may have been
 * taken.
 */
export type Sent = { is: 'sent' } | { is: 'later' | 'refused' | 'unknown'; why: string };

export interface WayAround {
  standins: Readonly<Record<string, string>>;
  secrets: Readonly<Record<string, string | undefined>>;
  /** Rings somebody and says it. */
  ring: (letter: Letter, assistant: string) => Promise<Sent>;
}

/** The host that a way leads to; null for an address that is none. */
export function hostOf(way: MessageWay, { standins }: WayAround): string | null {
  try {
    if ('phone' in way) return null;
    return new URL('smtp' in way ? way.smtp : standinAddress(way.webhook, standins)).hostname;
  } catch {
    return null;
  }
}

/** Never throws. @param of the assistant whose voice says it, where it is said, and where its words may go */
export function sendLetter(
  way: MessageWay,
  letter: Letter,
  around: WayAround,
  { assistant, stay }: { assistant: string; stay: StayOf },
): Promise<Sent> {
  const why = whyNotOut(stay, hostOf(way, around) ?? '');
  if (why !== null && !('phone' in way)) return Promise.resolve({ is: 'refused', why });
  if ('phone' in way) return around.ring(letter, assistant);
  if ('webhook' in way) return post(way, letter, letter.id, around, stay);
  const secret = secretOf(way, around);
  return secret === undefined ? Promise.resolve(unset(way)) : byMail(way, letter, secret);
}

const secretOf = ({ secret }: { secret?: string | undefined }, { secrets }: Pick<WayAround, 'secrets'>) =>
  secret === undefined ? '' : secrets[secret];
const unset = ({ secret }: { secret?: string | undefined }): Sent => ({
  is: 'later',
  why: `the variable ${secret} is not set`,
});

async function byMail(
  way: Extract<MessageWay, { smtp: string }>,
  letter: Letter,
  secret: string,
): Promise<Sent> {
  const { hostname, port, protocol } = new URL(way.smtp);
  const transport = createTransport({
    host: hostname,
    port: Number(port) || (protocol === 'smtps:' ? 465 : 25),
    secure: protocol === 'smtps:',
    connectionTimeout: PATIENCE_MS,
    greetingTimeout: PATIENCE_MS,
    socketTimeout: PATIENCE_MS,
    // What was dictated is text: no file and no address is read because of it.
    disableFileAccess: true,
    disableUrlAccess: true,
    ...(way.user === undefined ? {} : { auth: { user: way.user, pass: secret } }),
  });
  try {
    await transport.sendMail({
      from: way.from,
      to: { name: letter.name, address: letter.to },
      subject: letter.subject || letter.text.split('\n')[0]!.slice(0, 70),
      text: letter.text,
      messageId: `<${letter.id}@verbalon>`,
    });
    return { is: 'sent' };
  } catch (error) {
    return mailTrouble(error as Error & { responseCode?: number; code?: string; command?: string });
  } finally {
    transport.close();
  }
}

function mailTrouble({
  responseCode,
  code,
  command,
  message,
}: Error & { responseCode?: number; code?: string; command?: string }): Sent {
  const said = responseCode === undefined ? (code ?? message) : `it answers ${responseCode}`;
  const why = `the mail server: ${said}${command === undefined ? '' : ` (${command})`}`;
  if (responseCode !== undefined && responseCode >= 500) return { is: 'refused', why };
  if (responseCode !== undefined) return { is: 'later', why };
  // The whole text was on its way, and nothing came back.
  return { is: command === 'DATA' ? 'unknown' : 'later', why };
}

/** Where something is posted to. */
export interface Webhook {
  webhook: string;
  secret?: string | undefined;
  headers?: Record<string, string> | undefined;
}

/**
 * Posts this as JSON. Never throws. @param stay where the words may go @param key whoever gets it twice knows
 * by it
 */
export async function post(
  way: Webhook,
  body: unknown,
  key: string,
  around: Pick<WayAround, 'standins' | 'secrets'>,
  stay: StayOf,
): Promise<Sent> {
  const secret = secretOf(way, around);
  if (secret === undefined) return unset(way);
  try {
    const answer = await askOutside(stay, standinAddress(way.webhook, around.standins), {
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        'idempotency-key': key,
        ...withSecret(way.headers, secret),
      },
      body: JSON.stringify(body),
      signal: AbortSignal.timeout(PATIENCE_MS),
      redirect: 'manual',
    });
    await answer.body?.cancel();
    const why = `it answers ${answer.status}`;
    if (answer.ok) return { is: 'sent' };
    const passes =
      answer.status >= 500 || answer.status === 408 || answer.status === 425 || answer.status === 429;
    return { is: passes ? 'later' : 'refused', why };
  } catch (error) {
    // It has a key: sent once more, it arrives once.
    const { name, message } = error as Error;
    return { is: 'later', why: `it cannot be reached (${name === 'Error' ? message : name})` };
  }
}
