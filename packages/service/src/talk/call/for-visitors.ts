/**
 * What somebody who may not read the service's own matters is told: a page's visitor, a caller. A sentence
 * without an address, a command, or what an engine said of itself; whoever may read, and the log, have the
 * reason.
 */
import type { ServiceMessage } from '@verbalon/protocol';
import { isProblemCode, type ProblemCode } from '../../problems/problems.js';

const USUAL = 'Something went wrong. Please try again in a moment.';
const AWAY = 'The assistant cannot be reached right now. Please try again later.';
const SENTENCES: Partial<Record<ProblemCode, string>> = {
  'service-full': 'All lines are busy. Please try again in a moment.',
  'talks-too-many': 'No more conversations can be held right now. Please try again later.',
  'requests-too-many': 'That was too much at once. Please wait a moment.',
  'line-flooding': 'That was too much at once. Please wait a moment.',
  'budget-near': 'This conversation will have to end soon.',
  'budget-used-up': 'This conversation has to end here.',
  'origin-foreign': AWAY,
  'assistant-unknown': AWAY,
  'assistant-broken': AWAY,
  'key-unknown': 'This conversation is not open to you any more. Please load the page again.',
  'key-missing': AWAY,
  'token-spent': 'Please load the page again to begin another conversation.',
  'talk-gone': 'The conversation is over. Please begin another one.',
  'talk-taken-over': 'The conversation goes on in another window.',
  'choice-not-offered': 'That cannot be chosen here.',
  'language-unknown': 'That language is not spoken here.',
  'service-stopping': AWAY,
};

/** What a visitor reads of a problem. */
export const visitorSentence = (code: string): string =>
  (isProblemCode(code) ? SENTENCES[code] : undefined) ?? USUAL;

/** The message without what is not theirs. */
export function forVisitors(message: ServiceMessage): ServiceMessage {
  if (message.kind === 'trouble')
    return { ...message, title: visitorSentence(message.code), detail: '', remedy: '' };
  if (message.kind === 'relieved') return { ...message, why: '' };
  if (message.kind !== 'turn') return message;
  const { report } = message;
  return { ...message, report: { ...report, reliefs: report.reliefs.map((one) => ({ ...one, why: '' })) } };
}
