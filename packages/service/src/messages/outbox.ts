/**
 * Messages of errands: written, changed and withdrawn while they wait, and delivered to each recipient by the
 * first of their ways that takes it. What may have arrived already is not sent again by a way that could not
 * tell.
 */
import { randomUUID } from 'node:crypto';
import { peopleOf, type Contact, type Contacts, type RunOutcome } from '@verbalon/core';
import type { MessageWay } from '@verbalon/protocol';
import type { Logger } from 'pino';
import type { MessageRow, MessageStore } from '../database/message-store.js';
import { whyNotOut, type StayOf } from '../common/ways-out.js';
import type { Job } from './queue.js';
import { hostOf, sendLetter, type Letter, type Sent, type WayAround } from './ways.js';

export interface OutboxOptions {
  store: MessageStore;
  contacts: () => Contacts;
  ways: () => Readonly<Record<string, MessageWay>>;
  around: WayAround;
  /** Where the words of an assistant may go. */
  stayOf: (assistant: string) => StayOf;
  log: Logger;
}

/**
 * Who sends it, as far as the line says; an unsure one owns what the present talk wrote, and nothing else.
 */
export interface Sender {
  id: string;
  isSure: boolean;
}

/** What an errand wants to be sent, its places filled. */
export interface Wanted {
  does: 'send' | 'change' | 'withdraw';
  /** Of the run. */
  id: string;
  conversation: string;
  assistant: string;
  errand: string;
  sender: Sender;
  to: string;
  subject: string;
  text: string;
  /** Null: it waits for the occasion, or what is changed stays when it was. */
  dueAt: Date | null;
  occasion: string | null;
}

const failed = (code: string, given: Record<string, string> = {}): RunOutcome => ({
  ending: 'failed',
  code,
  given,
});
const done = (given: Record<string, string> = {}): RunOutcome => ({ ending: 'done', given });

export class Outbox {
  constructor(private readonly options: OutboxOptions) {}

  /** @throws where the database is away */
  async take({ does, ...wanted }: Wanted): Promise<RunOutcome> {
    return does === 'send' ? this.write(wanted) : this.touch(does, wanted);
  }

  private async write({ to, dueAt, occasion, ...wanted }: Omit<Wanted, 'does'>): Promise<RunOutcome> {
    const people = peopleOf(to, this.options.contacts());
    if (!people || people.length === 0) return failed('nobody');
    const away = people.filter((one) => this.waysOf(one, wanted.assistant).length === 0);
    if (away.length > 0) return failed('unreachable', { name: away.map(({ name }) => name).join(', ') });
    const message = {
      ...wanted,
      sender: wanted.sender.id,
      recipients: to,
      dueAt: occasion === null ? (dueAt ?? new Date()) : null,
      occasion,
    };
    const deliveries = people.map((one) => ({
      id: randomUUID(),
      contact: one.key,
      name: one.name,
      way: this.waysOf(one, wanted.assistant)[0]!,
    }));
    await this.options.store.write(message, deliveries);
    return done({ recipients: String(people.length) });
  }

  /** The last message to these that waits is changed or withdrawn. */
  private async touch(
    does: 'change' | 'withdraw',
    { assistant, sender, conversation, to, text, dueAt }: Omit<Wanted, 'does'>,
  ): Promise<RunOutcome> {
    const { store } = this.options;
    const owner = sender.isSure ? { sender: sender.id } : { conversation };
    const message = await store.lastWaiting(assistant, owner, to);
    if (!message) return failed('none');
    const what = { ...(text === '' ? {} : { text }), ...(dueAt === null ? {} : { dueAt }) };
    const isDone =
      does === 'withdraw' ? await store.withdraw(message.id) : await store.change(message.id, what);
    return isDone ? done() : failed('none');
  }

  /** Of a run that was cut off: was its message written? */
  async outcomeOf(id: string): Promise<RunOutcome> {
    return (await this.options.store.get(id)) ? done() : { ending: 'failed', given: {} };
  }

  /** The ways that lead to somebody from this assistant, the first to be tried first. */
  private waysOf({ ways }: Contact, assistant: string): string[] {
    const known = this.options.ways();
    const stay = this.options.stayOf(assistant);
    return Object.keys(ways).filter((name) => {
      const way = Object.hasOwn(known, name) ? known[name]! : null;
      return way !== null && whyNotOut(stay, hostOf(way, this.options.around) ?? '') === null;
    });
  }

  /** One try of a delivery. @throws where it is to be tried again */
  async deliver({ id, last }: Job): Promise<void> {
    const { store, log } = this.options;
    const begun = await store.begin(id);
    if (!begun) return;
    const { message, delivery } = begun;
    const person = this.options.contacts().people.find(({ key }) => key === delivery.contact);
    const ways = person ? this.waysOf(person, message.assistant) : [];
    let why = person ? 'no way leads there any more' : 'there is no such contact any more';
    for (const way of ways) {
      const sent = await this.sendBy(way, person!, message, id);
      if (sent.is === 'sent') return store.end(id, 'sent', { way, why: '' });
      ({ why } = sent);
      if (sent.is === 'unknown') return store.end(id, 'unsure', { way, why });
      if (sent.is === 'later' && !last) {
        await store.end(id, 'waiting', { way, why });
        throw new Error(`to be tried again: ${why}`);
      }
    }
    log.warn({ message: message.id, to: delivery.contact, why }, 'a message cannot be delivered');
    return store.end(id, 'failed', { way: ways.at(-1) ?? delivery.way, why });
  }

  private sendBy(name: string, { ways, name: to }: Contact, message: MessageRow, id: string): Promise<Sent> {
    const letter: Letter = {
      id,
      to: ways[name]!,
      name: to,
      from: message.sender,
      subject: message.subject,
      text: message.text,
    };
    const { assistant } = message;
    const { around, ways: known, stayOf } = this.options;
    return sendLetter(known()[name]!, letter, around, { assistant, stay: stayOf(assistant) });
  }

  /** What an earlier service left behind: a mail that was on its way may have arrived. */
  async recover(): Promise<void> {
    const { store, ways } = this.options;
    const { trying, waiting } = await store.leftBehind();
    for (const { id, way } of trying) {
      const known = Object.hasOwn(ways(), way) ? ways()[way]! : null;
      if (known && 'webhook' in known) await store.again(id);
      else await store.end(id, 'unsure', { way, why: 'the service ended while it was on its way' });
    }
    for (const { id, dueAt } of waiting) await store.again(id, dueAt);
  }

  /** Messages of this sender that did not reach everybody, to be told once. */
  async untold(assistant: string, sender: Sender): Promise<{ name: string; unsure: boolean }[]> {
    const { store } = this.options;
    if (!sender.isSure) return [];
    const missed = await store.untold(assistant, sender.id);
    await store.told(missed.map(({ id }) => id));
    return missed.flatMap(({ deliveries }) =>
      deliveries
        .filter(({ state }) => state === 'failed' || state === 'unsure')
        .map(({ name, state }) => ({ name, unsure: state === 'unsure' })),
    );
  }
}
