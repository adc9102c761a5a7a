/** Short sayings that are about the talk itself, in English. */
import type { SpokenCommand } from '../common/contract.js';

const any = (...phrases: string[]) => `(?:${phrases.join('|')})`;

/** What may come before a command without making it a clear one … */
const SOFT = any('hello', 'hi', 'hey', 'um', 'uh', 'er', 'well', 'so', 'and', 'now', 'just', 'then');
/** … and what makes it clear that one is meant, even when more follows. */
const CLEAR = any(
  'please',
  'okay',
  'ok',
  'no',
  'wait',
  'sorry',
  'right',
  "let's",
  'let us',
  'let me',
  'can we',
  'could we',
  'can you',
  'could you',
  'may i',
  'can i',
  'i want to',
  'i would like to',
  "i'd like to",
  'we should',
  'i want',
  'make',
  'have',
);
const TAIL = any('please', 'now', 'again', 'thanks', 'thank you', 'then', 'with me');

const FRESH = any(
  'start over',
  'start again',
  'start afresh',
  'start anew',
  'begin again',
  'begin afresh',
  'start from the beginning',
  '(?:a )?fresh start',
  '(?:a )?new conversation',
  'forget everything',
  'forget all that',
  'forget all of that',
  'forget what i said',
);
const SHORTER = any(
  'shorter',
  'make it shorter',
  'be brief',
  'briefer',
  'be briefer',
  'keep it short',
  'keep it brief',
  'too long',
  'that is too long',
  "that's too long",
  'shorter answers',
  'short answers',
  'give me shorter answers',
  'give me short answers',
  'in short',
  'speak less',
  'less detail',
);
const LONGER = any(
  'longer',
  'make it longer',
  'longer answers',
  'give me longer answers',
  'in more detail',
  'more detail',
  'more details',
  'give me more detail',
  'give me more details',
);
const CLOSING = any(
  'goodbye',
  'good bye',
  'bye',
  'bye bye',
  'see you',
  'see you later',
  'see you soon',
  'that is all',
  "that's all",
  'that was all',
  'that will be all',
  "that'll be all",
  'hang up',
  'end the call',
  'good night',
);
const SOMEBODY =
  '(?:(?:a|the|some) )?(?:(?:real|live) )?(?:person|human|human being|somebody|someone|operator|agent)';
const PERSON = any(
  `(?:a|the) ${any('person', 'human', 'real person', 'human being', 'operator')}`,
  `(?:to )?(?:(?:give|get) me|(?:speak|talk) (?:to|with)|hand me over to|put me through to|connect me (?:to|with)|transfer me to) ${SOMEBODY}`,
  `(?:i|we) (?:need|want|would like) ${SOMEBODY}`,
  `(?:i|we) (?:need|want|would like) to (?:speak|talk) (?:to|with) ${SOMEBODY}`,
);
const COURTESY = any(
  'okay',
  'ok',
  'alright',
  'all right',
  'great',
  'fine',
  'well',
  'no',
  'yes',
  'and',
  'so',
  'thanks',
  'thanks a lot',
  'thank you',
  'thank you very much',
  'thank you so much',
  'thanks very much',
  'very much',
  'for now',
  'then',
  'for today',
  'for your help',
  'have a nice day',
  'have a good day',
);
/** After a command, one of these means that it was none: "start over the saddle". */
const GOES_ON = /^(?:the|a|an|my|our|your|at|on|in|of|over|from|for|with|to|than|by|near)\b/;

function whole(text: string, command: string): boolean {
  return new RegExp(`^(?:(?:${SOFT}|${CLEAR}) )*${command}(?: ${TAIL})*$`).test(text);
}

export function englishCommand(text: string, names: readonly string[]): SpokenCommand | null {
  const address = names.map((name) => name.toLowerCase());
  const words = text
    .toLowerCase()
    .replace(/’/g, "'")
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter((word) => word !== '' && !address.includes(word))
    .join(' ');
  if (whole(words, FRESH)) return { command: 'fresh', rest: '' };
  if (whole(words, SHORTER)) return { command: 'shorter', rest: '' };
  if (whole(words, LONGER)) return { command: 'longer', rest: '' };
  if (new RegExp(`^(?:${COURTESY} )*${CLOSING}(?: (?:${COURTESY}|${CLOSING}))*$`).test(words))
    return { command: 'goodbye', rest: '' };
  if (whole(words, PERSON)) return { command: 'person', rest: '' };
  return freshWithMore(words, text);
}

/** "Please start over and tell me …": a clear lead-in, the command, and what else was said. */
function freshWithMore(words: string, text: string): SpokenCommand | null {
  const found = new RegExp(`^(?:(?:${SOFT}|${CLEAR}) )*${CLEAR} ${FRESH}(?: ${TAIL})* (.+)$`).exec(words);
  const rest = found?.[1]?.replace(/^(?:and|then|and then) /, '');
  if (!rest || GOES_ON.test(rest)) return null;
  return { command: 'fresh', rest: tailOf(text, rest.split(' ').length) };
}

/** The last `count` words as they were written. */
function tailOf(text: string, count: number): string {
  return text.trim().split(/\s+/).slice(-count).join(' ');
}

const YES = new RegExp(
  `^${any('yes', 'yeah', 'yep', 'yes please', 'right', 'correct', 'exactly', 'that is right', "that's right", 'yes i did', 'yes that is right', "yes that's right", 'i did', 'sure', 'of course')}$`,
);
const NO = new RegExp(
  `^${any('no', 'nope', 'no thanks', 'wrong', 'no i did not', "no i didn't", 'not at all', 'no that is wrong', "no that's wrong", 'that is wrong', "that's wrong", 'i did not', "i didn't", 'no sorry')}$`,
);

export function englishAssent(text: string): 'yes' | 'no' | null {
  const words = text
    .toLowerCase()
    .replace(/[^\p{L}'\s]/gu, ' ')
    .trim()
    .replace(/\s+/g, ' ');
  return YES.test(words) ? 'yes' : NO.test(words) ? 'no' : null;
}
