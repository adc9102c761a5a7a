/**
 * A stand-in for somebody's own web page, on an origin of its own and with a strict Content-Security-Policy:
 * a site on which bunks are booked, with a chat of its own and the assistant's button on it. `?service=…`
 * says where the service is.
 */
import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { setTimeout as after } from 'node:timers/promises';
import { options } from '../common/options.js';
import { listen } from '../common/server.js';

const { port } = options('0');
const USUAL_SERVICE = 'http://127.0.0.1:7464';
const MOST_BODY_BYTES = 10_000;
const file = (name: string) => readFileSync(new URL(`../../site/${name}`, import.meta.url), 'utf8');
const TYPES: Record<string, string> = { '/site.css': 'text/css', '/site.js': 'text/javascript' };
let bookings = 0;
/** Between two words of the chat's answer. */
const WORD_MS = 40;
/** What the chat answers, by what a question says. */
const ANSWERS: [RegExp, string][] = [
  [
    /\b(cost|price|prices|much)\b/i,
    'A bunk is 28 € a night, supper is 16 €, and breakfast 9 €. Children pay half. More: /prices.',
  ],
  [/\bdogs?\b/i, 'Dogs are welcome at Heron Hut and Rowan Hut. They sleep in the boot room.'],
  [
    /\b(bring|pack|need)\b/i,
    'Bring a sleeping bag liner, a lamp, and water for the way. Slippers are at every hut.',
  ],
  [
    /\b(get|way|reach)\b/i,
    'The path begins at the station. It is 3 h to Heron Hut, and 2 h from each hut to the next.',
  ],
];
const NO_ANSWER = 'I do not know that. Ask me about prices, dogs, packing, or the way.';

/** Only a service of this machine: whoever follows a link with another one gets none. */
function serviceIn(url: URL): string {
  const named = url.searchParams.get('service') ?? '';
  return /^https?:\/\/(127\.0\.0\.1|localhost)(:\d{1,5})?$/.test(named) ? named : USUAL_SERVICE;
}

/** What docs/embedding.md asks of a page, and nothing more. */
function policy(service: string): string {
  const socket = service.replace(/^http/, 'ws');
  return `default-src 'none'; script-src 'self' ${service}; style-src 'self'; connect-src 'self' ${service} ${socket}; base-uri 'none'; form-action 'self'`;
}

async function bodyOf(request: IncomingMessage): Promise<Record<string, string>> {
  let text = '';
  for await (const part of request) if ((text += String(part)).length > MOST_BODY_BYTES) return {};
  try {
    return JSON.parse(text) as Record<string, string>;
  } catch {
    return {};
  }
}

/** The site's own chat writes its answer word by word. */
async function chat(text: string, response: ServerResponse): Promise<void> {
  response.writeHead(200, { 'content-type': 'text/plain; charset=utf-8' });
  const said = ANSWERS.find(([asks]) => asks.test(text))?.[1] ?? NO_ANSWER;
  for (const word of said.split(/(?<= )/)) {
    response.write(word);
    await after(WORD_MS);
  }
  response.end();
}

async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://localhost');
  const send = (status: number, type: string, text: string, more = {}) =>
    response.writeHead(status, { 'content-type': `${type}; charset=utf-8`, ...more }).end(text);
  if (request.method === 'POST' && url.pathname === '/bookings') {
    const { hut = 'no hut', bunks = '0', name = 'nobody' } = await bodyOf(request);
    return void send(
      200,
      'application/json',
      JSON.stringify({ text: `Booking ${++bookings}: ${bunks} at ${hut} for ${name}.` }),
    );
  }
  if (request.method === 'POST' && url.pathname === '/chat')
    return chat((await bodyOf(request)).text ?? '', response);
  const type = TYPES[url.pathname];
  if (type) return void send(200, type, file(url.pathname.slice(1)));
  if (url.pathname !== '/') return void send(404, 'text/plain', 'There is nothing here.');
  const service = serviceIn(url);
  send(200, 'text/html', file('index.html').replace('{service}', service), {
    'content-security-policy': policy(service),
  });
}

listen(
  createServer((request, response) => {
    answer(request, response).catch(() => response.destroy());
  }),
  port,
);
