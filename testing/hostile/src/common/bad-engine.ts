/** A model behind HTTP that misbehaves in every way there is; which one is asked for by name. */
import { once } from 'node:events';
import { createServer, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

type Way = (answer: ServerResponse) => void;

const line = (value: unknown) => `${JSON.stringify(value)}\n`;
const counted =
  (read: unknown, wrote: unknown): Way =>
  (answer) =>
    answer.end(line({ piece: 'Yes, it is.' }) + line({ done: true, read, wrote }));

/** Each answers as no model should; `right` as one does. */
export const BAD_WAYS = {
  right: counted(10, 5),
  'half tokens': counted(1.5, 2.5),
  'more tokens than there are numbers': counted(2 ** 33, 1e300),
  'tokens below nothing': counted(-5, -1e9),
  'no number of tokens': counted('many', null),
  'not JSON': (answer) => answer.end('hello\n'),
  'half a line': (answer) => answer.end('{"piece": "Yes'),
  nothing: (answer) => answer.end(),
  '400': (answer) => answer.writeHead(400).end('{"detail":"I do not like this request"}'),
  '500': (answer) => answer.writeHead(500).end('oh no'),
  'a cut connection': (answer) => answer.socket?.destroy(),
  'a cut in the answer': (answer) => {
    answer.write(line({ piece: 'Yes' }));
    setImmediate(() => answer.socket?.destroy());
  },
  'a line without an end': (answer) => {
    const more = () => {
      while (!answer.destroyed && answer.write('x'.repeat(65_536)));
    };
    answer.on('drain', more);
    more();
  },
  'pieces without an end': (answer) => {
    const more = () => {
      while (!answer.destroyed && answer.write(line({ piece: 'and on ' }).repeat(1_000)));
    };
    answer.on('drain', more);
    more();
  },
  'a beginning, and then nothing': (answer) => void answer.write(line({ piece: 'Yes,' })),
  'halves of characters and NUL': (answer) =>
    answer.end('{"piece": "\\ud800\\u0000\\udc00 yes."}\n' + line({ done: true, read: 1, wrote: 1 })),
  'a very deep value': (answer) => answer.end(`${'{"piece":'.repeat(20_000)}1${'}'.repeat(20_000)}\n`),
  'a word of 20,000 letters': (answer) =>
    answer.end(line({ piece: 'a'.repeat(20_000) }) + line({ done: true, read: 1, wrote: 1 })),
  'a thousand empty pieces': (answer) => answer.end(line({ piece: '' }).repeat(1_000)),
} satisfies Record<string, Way>;

export type BadWay = keyof typeof BAD_WAYS;

export class BadEngine {
  way: BadWay = 'right';
  asked = 0;
  /** What the last request said. */
  lastBody = '';
  private next: string | null = null;
  private readonly server: Server;

  private constructor() {
    this.server = createServer((request, answer) => {
      const chunks: Buffer[] = [];
      request.on('data', (chunk: Buffer) => chunks.push(chunk));
      request.on('end', () => {
        if (request.method === 'GET') return void answer.end('{}');
        this.asked++;
        this.lastBody = Buffer.concat(chunks).toString('utf8');
        if (this.next === null) BAD_WAYS[this.way](answer);
        else answer.end(this.next);
        this.next = null;
      });
      answer.on('error', () => undefined);
    });
  }

  /** The next request is answered with just this. */
  answerNext(text: string): void {
    this.next = text;
  }

  static async open(): Promise<BadEngine> {
    const engine = new BadEngine();
    engine.server.listen(0, '127.0.0.1');
    await once(engine.server, 'listening');
    return engine;
  }

  get address(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  /** The card that describes it. */
  get card(): string {
    return `title: Misbehaves
role: llm
where: on-machine
languages: [en]
wire: http
address: ${this.address}/think
deadlines: { firstMs: 3000, betweenMs: 3000 }
send:
  open: [{ said: '{last}' }]
receive:
  form: lines
  read:
    - { piece: /piece }
    - { when: { /done: true }, usage: { in: /read, out: /wrote }, end: true }
`;
  }

  async close(): Promise<void> {
    this.server.closeAllConnections();
    this.server.close();
    await once(this.server, 'close');
  }
}
