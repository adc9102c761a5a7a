/**
 * A stand-in for a hut office: bunks a night, bookings with numbers, the weather, the wardens and their logs,
 * over HTTP with a key (docs/stand-in-office.md). A booking that comes twice with one key is made once.
 */
import type { IncomingMessage } from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import { options } from '../common/options.js';
import { knowledgeOf } from '../common/writing.js';
import { openDoor, type Answer } from '../common/door.js';

const { port, seed, key, knowledge: file, awayMs } = options('0');
const knowledge = knowledgeOf(file);
const FIRST_NUMBER = 1_201;
const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const SKIES = [
  'Dry, with some sun.',
  'Clouds from the west.',
  'Rain in the afternoon.',
  'Fog in the morning, and sun from noon on.',
];
const WINDS = ['Little wind.', 'A fresh wind on the saddle.', 'Strong wind above Lantern Hut.'];

interface Booking {
  number: string;
  hut: string;
  night: string;
  bunks: number;
  name: string;
}

type Body = Readonly<Record<string, unknown>>;

const bookings = new Map<string, Booking>();
/** What was made with which key. */
const byKey = new Map<string, string>();
const logs: { hut: string; entry: string }[] = [];
const seen = { requests: 0, booked: 0, changed: 0, cancelled: 0, logged: 0, keys: [] as string[] };

const dayOf = (night: string) => DAYS[new Date(`${night}T12:00:00Z`).getUTCDay()] ?? '';

/** Bunks that are free at a hut on a night, but for those of one booking. */
function free(hut: string, night: string, but = ''): number {
  const all = knowledge.huts[hut]?.bunks[dayOf(night)] ?? 0;
  const taken = [...bookings.values()].filter(
    (one) => one.hut === hut && one.night === night && one.number !== but,
  );
  return all - taken.reduce((sum, { bunks }) => sum + bunks, 0);
}

/** The same for the same hut and day, whoever asks. */
function weather(hut: string, day: string): string {
  const mark = [...`${hut}${day}${seed}`].reduce((sum, one) => (sum * 31 + one.charCodeAt(0)) >>> 0, 7);
  const degrees = 4 + (mark % 14);
  return `${SKIES[mark % SKIES.length]!} ${WINDS[(mark >>> 4) % WINDS.length]!} About ${degrees} degrees.`;
}

const broken = (trouble: string): Answer => ({ status: 400, body: { trouble } });
const missing = (trouble: string): Answer => ({ status: 404, body: { trouble } });

function book({ hut, night, bunks, name }: Body, idempotencyKey: string): Answer {
  const before = bookings.get(byKey.get(idempotencyKey) ?? '');
  if (before) return { status: 200, body: before };
  if (typeof hut !== 'string' || !Object.hasOwn(knowledge.huts, hut)) return broken('there is no such hut');
  if (typeof night !== 'string' || !/^\d{4}-\d\d-\d\d$/.test(night)) return broken('"night" is no day');
  if (typeof bunks !== 'number' || bunks < 1) return broken('"bunks" is no number');
  const left = free(hut, night);
  if (bunks > left) return { status: 409, body: { full: true, free: left } };
  const number = String(FIRST_NUMBER + seen.booked);
  const booking = { number, hut, night, bunks, name: typeof name === 'string' ? name : '' };
  bookings.set(number, booking);
  if (idempotencyKey !== '') byKey.set(idempotencyKey, number);
  seen.booked++;
  seen.keys.push(idempotencyKey);
  return { status: 201, body: booking };
}

function change(number: string, { bunks }: Body): Answer {
  const booking = bookings.get(number);
  if (!booking) return missing(`there is no booking ${number}`);
  const next = { ...booking, ...(typeof bunks === 'number' ? { bunks } : {}) };
  const left = free(next.hut, next.night, number);
  if (next.bunks > left) return { status: 409, body: { full: true, free: left } };
  bookings.set(number, next);
  seen.changed++;
  return { status: 200, body: next };
}

function cancel(number: string): Answer {
  const booking = bookings.get(number);
  if (!booking) return missing(`there is no booking ${number}`);
  bookings.delete(number);
  seen.cancelled++;
  return { status: 200, body: booking };
}

function warden(hut: string): Answer {
  const found = Object.hasOwn(knowledge.huts, hut) ? knowledge.huts[hut]! : null;
  if (!found) return missing('there is no such hut');
  const channel = 1 + Object.keys(knowledge.huts).indexOf(hut);
  return { status: 200, body: { warden: found.warden, reach: `by radio on channel ${channel}` } };
}

function log(hut: string, { entry }: Body): Answer {
  if (!Object.hasOwn(knowledge.huts, hut)) return missing('there is no such hut');
  if (typeof entry !== 'string' || entry === '') return broken('"entry" is missing');
  logs.push({ hut, entry });
  seen.logged++;
  return { status: 200, body: { hut, entries: logs.filter((one) => one.hut === hut).length } };
}

/** What is asked, by method and first part of the path. */
function answer(
  { method, headers }: IncomingMessage,
  path: readonly string[],
  query: URLSearchParams,
  body: Body,
): Answer {
  const [what = '', first = '', second = ''] = path;
  const hut = query.get('hut') ?? '';
  switch (`${method} ${what}`) {
    case 'GET bunks':
      return { status: 200, body: { free: free(hut, query.get('night') ?? '') } };
    case 'GET weather':
      return { status: 200, body: { text: weather(hut, query.get('day') ?? '') } };
    case 'GET huts':
      return { status: 200, body: { huts: Object.keys(knowledge.huts) } };
    case 'GET wardens':
      return warden(hut);
    case 'POST bookings':
      return book(body, String(headers['idempotency-key'] ?? ''));
    case 'GET bookings': {
      const found = bookings.get(first === 'by-key' ? (byKey.get(second) ?? '') : first);
      return found ? { status: 200, body: found } : missing('there is no such booking');
    }
    case 'PATCH bookings':
      return change(first, body);
    case 'DELETE bookings':
      return cancel(first);
    case 'PATCH log':
      return log(first, body);
    default:
      return missing(`there is nothing at ${method} /${path.join('/')}`);
  }
}

openDoor({
  port,
  allows: ({ headers }) => key === '' || headers['x-office-key'] === key,
  answer: async (request, path, query, body) => {
    seen.requests++;
    await sleep(awayMs);
    return answer(request, path, query, body);
  },
  seen: () => ({ ...seen, bookings: [...bookings.values()], logs }),
});
