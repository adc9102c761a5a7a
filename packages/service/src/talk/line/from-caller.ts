/** What a caller's line says, told to its talk. */
import type { CallerMessage } from '@verbalon/protocol';
import { ProblemError } from '../../problems/problems.js';
import type { Call } from '../call/call.js';
import type { CallerPage } from '../page/caller-page.js';

/** Everything but arriving and leaving, which are the connection's. */
export type Told = Exclude<CallerMessage, { kind: 'arrive' | 'leave' }>;

/** @param page what the caller's page takes part in @throws ProblemError */
export function takeFromCaller({ session, rights }: Call, page: CallerPage | undefined, message: Told): void {
  switch (message.kind) {
    case 'typed':
      return session.happen({
        kind: 'typed',
        text: message.text
          .toWellFormed()
          .replace(/\p{Cc}+/gu, ' ')
          .trim(),
      });
    case 'press':
      return session.key('pressed', message.capture);
    case 'wrote':
      return session.happen({ kind: 'wrote', slot: message.slot, value: message.value });
    case 'screen':
      return session.screened(message);
    case 'passed':
    case 'piece':
    case 'thought':
      return page?.take(message);
    case 'ducked':
      return session.key('ducked', message.capture);
    case 'release':
      return session.key('released', message.capture);
    case 'floor':
      return session.happen({ kind: 'floorSet', floor: message.floor });
    case 'hush':
      return session.happen({ kind: 'hushAsked' });
    case 'fresh':
      return session.happen({ kind: 'freshAsked' });
    case 'played':
      return session.played(message.speech, message.sample, message.capture, message.flushed ?? false);
    case 'swap':
      return session.swap(message.role, message.engine, rights.chooses);
    case 'language':
      return session.setLanguage(message, rights.chooses);
    case 'takeOver':
    case 'giveBack':
      throw new ProblemError('guest-may-not', `"${message.kind}" is for whoever has joined a talk`);
  }
}
