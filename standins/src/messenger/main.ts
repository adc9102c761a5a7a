/**
 * A stand-in for a messenger: takes messages over HTTP with a key, and hands each to its recipient once,
 * however often it comes with one idempotency-key (docs/stand-in-office.md).
 */
import { setTimeout as sleep } from 'node:timers/promises';
import { openDoor } from '../common/door.js';
import { options } from '../common/options.js';

const { port, key, awayMs } = options('0');

interface Message {
  to: string;
  from: string;
  text: string;
}

const messages: Message[] = [];
const known = new Set<string>();
const seen = { requests: 0 };

openDoor({
  port,
  allows: ({ headers }) => key === '' || headers['x-messenger-key'] === key,
  answer: async ({ method, headers }, [what], _query, { to, from, text }) => {
    seen.requests++;
    await sleep(awayMs);
    if (method !== 'POST' || what !== 'messages')
      return { status: 404, body: { trouble: `there is nothing at ${method} /${what}` } };
    if (typeof to !== 'string' || typeof text !== 'string' || text === '')
      return { status: 400, body: { trouble: '"to" or "text" is missing' } };
    // A number that nobody has, to be tried.
    if (to === 'nobody') return { status: 404, body: { trouble: 'nobody is called so here' } };
    const once = String(headers['idempotency-key'] ?? '');
    if (once === '' || !known.has(once))
      messages.push({ to, from: typeof from === 'string' ? from : '', text });
    known.add(once);
    return { status: 202, body: { taken: true } };
  },
  seen: () => ({ ...seen, messages }),
});
