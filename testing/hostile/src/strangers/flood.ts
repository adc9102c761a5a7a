/**
 * One flooder beside good people: texts as long as they may be, as fast as a line takes them, a new talk as
 * soon as one is over.
 */
import { once } from 'node:events';
import { lineAddress } from '@verbalon/client';
import { seeded } from '@verbalon/core';
import { WebSocket } from 'ws';
import { pick } from '../common/mutated.js';

const TALK_MS = 1_000;
const MESSAGES_A_SECOND = 180;
const EVERY_MS = 50;
const WORDS = [
  'three',
  'bunks',
  'at',
  'Rowan',
  'Hut',
  'no',
  'four',
  'next',
  'Friday',
  'half',
  'past',
  'six',
  'under',
  'the',
  'name',
  'Miller',
  'm',
  'u',
  'e',
  '4712',
  'and',
  'what.',
];
const LONGEST = 3_990;

export class Flood {
  talks = 0;
  sent = 0;

  /** @param target the service, or a listener that throws everything away */
  constructor(
    private readonly target: { address: string; key?: string },
    private readonly seed: number,
  ) {}

  /** So many talks, one after the other. */
  async talksOf(count: number): Promise<void> {
    for (let i = 0; i < count; i++) await this.oneTalk(seeded(this.seed * 7_919 + this.talks));
  }

  private async oneTalk(random: () => number): Promise<void> {
    const { address, key } = this.target;
    const headers = key === undefined ? {} : { authorization: `Bearer ${key}` };
    const socket = new WebSocket(lineAddress(address), { headers });
    socket.on('error', () => undefined);
    const closed = new Promise<void>((done) => socket.on('close', () => done()));
    await Promise.race([once(socket, 'open').catch(() => undefined), closed]);
    socket.on('message', () => undefined);
    const say = (message: object) => {
      if (socket.readyState !== socket.OPEN) return;
      socket.send(JSON.stringify(message));
      this.sent++;
    };
    say({ kind: 'arrive', line: 'web', assistant: 'books', audio: { encoding: 's16le', rateHz: 16_000 } });
    const timer = setInterval(() => {
      for (let i = 0; i < (MESSAGES_A_SECOND * EVERY_MS) / 1_000; i++) say(message(random));
    }, EVERY_MS);
    await Promise.race([new Promise((done) => setTimeout(done, TALK_MS)), closed]);
    clearInterval(timer);
    socket.terminate();
    await closed;
    this.talks++;
  }
}

function message(random: () => number): object {
  if (random() < 0.2) return { kind: 'wrote', slot: 'name', value: long(random, 990) };
  return { kind: 'typed', text: `book ${long(random, LONGEST)}` };
}

function long(random: () => number, length: number): string {
  let text = '';
  while (text.length < length) text += `${pick(random, WORDS)} `;
  return text.slice(0, length);
}
