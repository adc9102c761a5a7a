/** English of errands. */
import type { ErrandControl, ErrandWords } from '../common/errand-words.js';
import { wordsOfPhraseAt as phraseAt } from '../common/phrase.js';
import { englishDay, sayDay } from './days.js';
import {
  englishDuration,
  englishFromNow,
  englishPartOfDay,
  englishTime,
  sayDuration,
  sayTime,
} from './hours.js';
import {
  englishDecimal,
  englishDigits,
  englishEmail,
  englishLetters,
  englishMoney,
  englishNumber,
  sayList,
  sayMoney,
  sayNumber,
} from './quantities.js';

const set = (words: string) => new Set(words.split(/\s+/));
const POLITE = set('please thanks thank you then now well um uh er erm oh okay ok so and just that');

const YES = [
  'yes please do that',
  'yes please do',
  'yes that is right',
  "yes that's right",
  'that is right',
  "that's right",
  'that is correct',
  "that's correct",
  'yes do it',
  'yes do that',
  'yes go ahead',
  'go ahead',
  'please do',
  'do it',
  'do that',
  'book it',
  'send it',
  'yes book it',
  'yes send it',
  'yes please',
  'yes of course',
  'of course',
  'yes',
  'yeah',
  'yep',
  'yup',
  'correct',
  'exactly',
  'right',
  'sure',
  'okay',
  'ok',
  'fine',
  'perfect',
  'all right',
  'alright',
  'sounds good',
  'that is fine',
  "that's fine",
  'i confirm',
  'confirm',
  'it is',
  'certainly',
  'absolutely',
].sort((a, b) => b.length - a.length);
const NO = [
  'no thank you',
  'no thanks',
  'no that is wrong',
  "no that's wrong",
  'that is wrong',
  "that's wrong",
  'that is not right',
  "that's not right",
  'no it is not',
  'not quite',
  'not really',
  'no',
  'know',
  'nope',
  'nah',
  'wrong',
  'not yet',
  'do not',
  "don't",
  'better not',
].sort((a, b) => b.length - a.length);

const ORDINALS =
  '(first|second|third|fourth|fifth|sixth|seventh|eighth|ninth|tenth|eleventh|twelfth|thirteenth|fourteenth|fifteenth|sixteenth|seventeenth|eighteenth|nineteenth|twentieth|twenty first|twenty second|twenty third|twenty fourth|twenty fifth|twenty sixth|twenty seventh|twenty eighth|twenty ninth|thirtieth|thirty first)';
const MONTHS = '(january|february|march|april|may|june|july|august|september|october|november|december)';
const WEEKDAYS = '(monday|tuesday|wednesday|thursday|friday|saturday|sunday)';
const HOURS = '(one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve)';
const DAYS = [
  `[for|on] [next] ${WEEKDAYS}`,
  `[for|on] the ${ORDINALS} of ${MONTHS}`,
  `[for|on] ${MONTHS} the ${ORDINALS}`,
  `[for|on] the ${ORDINALS}`,
  '[for] (today|tonight|tomorrow|the day after tomorrow)',
];
const TIMES = [
  `[at] ${HOURS} [o'clock]`,
  `[at] half past ${HOURS}`,
  `[at] quarter (past|to) ${HOURS}`,
  `[at] ${HOURS} (thirty|fifteen) [in the (morning|evening)]`,
];
const LIKELY: ErrandWords['likely'] = {
  date: DAYS,
  time: TIMES,
  moment: [
    `(tomorrow|${WEEKDAYS}) at ${HOURS}`,
    `at ${HOURS} tomorrow`,
    'now',
    'in (an hour|half an hour|two hours)',
  ],
  duration: [`${HOURS} hours`, '(half an hour|an hour|an hour and a half)', `${HOURS} minutes`],
  'yes-no': ['yes', 'no'],
};

const CONTROLS: readonly (readonly [ErrandControl, RegExp])[] = [
  [
    'cancel',
    /^(?:no )?(?:never mind|forget (?:it|that|about it)|(?:please )?cancel(?: (?:it|that|this|everything))?|stop (?:it|that|this)|leave (?:it|that)|drop it|i changed my mind|i do not want (?:it|that)(?: any ?more)?|i don't want (?:it|that)(?: any ?more)?|let us leave it|let's leave it|not any more|abort)$/,
  ],
  [
    'restart',
    /^(?:no )?(?:let us |let's |can we |please )?(?:start (?:over|again|afresh|from the beginning)|begin again|from the beginning|from the start|all over again)$/,
  ],
  [
    'recall',
    /^(?:what (?:did i say|have i said|do you have(?: so far)?|have you got(?: so far)?|did you (?:get|understand|write))|(?:can you |could you )?(?:read|say) (?:it|that|everything) (?:back|again)(?: to me)?|where (?:are|were) we)$/,
  ],
  [
    'abilities',
    /^(?:what (?:can|else can) you do(?: for me)?|what can i (?:ask|say|do)(?: here)?|help|help me|how does this work)$/,
  ],
  [
    'person',
    /^(?:(?:can|could|may) (?:i|you) )?(?:i (?:want|would like) to )?(?:give me|get me|speak to|talk to|hand me over to|put me through to|connect me (?:to|with)) (?:a |the |some)?(?:person|human|warden|somebody|someone|body|one|operator)$|^(?:a|the) (?:person|human|operator)$/,
  ],
  ['more', /^(?:go on|read on|continue|carry on|more|tell me more|and then|what else|keep going|next)$/],
];

const QUESTION = set(
  'what when where who whom whose why which how is are was were do does did can could will would shall should may might has have am tell',
);
/** "I would like …", "could you make it …": an order in the form of a question, when a value follows. */
const NO_QUESTION =
  /^(?:can|could|would|will) (?:you|we|i) (?:please )?(?:make|change|book|take|put|set|have)\b/;

/** Without polite words at both ends. */
function bare(words: readonly string[]): readonly string[] {
  let from = 0;
  let to = words.length;
  while (from < to && POLITE.has(words[from]!) && !(words[from] === 'that' && to - from > 1)) from++;
  while (to > from && POLITE.has(words[to - 1]!) && !/^(?:it|that)$/.test(words[to - 1]!)) to--;
  return words.slice(from, to);
}

function assent(words: readonly string[]): { is: 'yes' | 'no'; count: number } | null {
  let from = 0;
  while (from < words.length && /^(?:um|uh|er|erm|oh|well|please)$/.test(words[from]!)) from++;
  for (const [is, phrases] of [
    ['yes', YES],
    ['no', NO],
  ] as const)
    for (const phrase of phrases) {
      const count = phraseAt(words, from, phrase);
      if (count === 0) continue;
      let to = from + count;
      // Courtesy, and the same once more: "yes, that's fine, thank you".
      const more = assent(words.slice(to));
      if (more?.is === is) to += more.count;
      while (to < words.length && POLITE.has(words[to]!)) to++;
      return { is, count: to };
    }
  return null;
}

export const englishErrands: ErrandWords = {
  values: {
    number: englishNumber,
    decimal: englishDecimal,
    money: englishMoney,
    digits: englishDigits,
    letters: englishLetters,
    day: englishDay,
    time: englishTime,
    fromNow: englishFromNow,
    partOfDay: englishPartOfDay,
    duration: englishDuration,
    email: englishEmail,
    sayNumber,
    sayDay: (day, now) => sayDay(day, now.day),
    sayTime,
    sayDuration,
    sayMoney,
    sayList,
  },
  corrections: [
    'no make it',
    'know make it',
    'actually make it',
    'no wait make it',
    'no wait',
    'know wait',
    'wait no',
    'wait know',
    'no sorry',
    'sorry no',
    'sorry i mean',
    'no i mean',
    'i mean',
    'i meant',
    'or rather',
    'or better',
    'scratch that',
    'correction',
    'make it',
    'make that',
    'change it to',
    'change that to',
    'change',
    'but for',
    'but on',
    'but at',
    'but',
    'actually',
    'instead',
    'rather',
    'sorry',
    'wait',
    'no',
    'know',
  ],
  negations: ['not', 'instead of', 'rather than'],
  yesNo: ['yes', 'no'],
  aroundAnswers: { not: 'no', rather: '[actually|no] make it', day: '[for|on]' },
  beforeName: [
    'under the name of',
    'under the name',
    'in the name of',
    'the name will be',
    'my name would be',
    'the name is',
    'my name is',
    "my name's",
    "the name's",
    'for the name',
    'name of',
    'name is',
    'under',
    'i am',
    "i'm",
    'this is',
    'it is',
    "it's",
    'call me',
    'name',
  ],
  notNames: set(
    'looking going coming trying calling hoping planning asking afraid here glad interested for on at in to from of the a an and or but with without please thanks thank you we i would like is are be that this it not no yes today tonight tomorrow next monday tuesday wednesday thursday friday saturday sunday by before after until one two three four five six seven eight nine ten bunk bunks bed beds supper breakfast spelled spelt spell as which what every any my our your another each all nearest other',
  ),
  spelling: ['spelled', 'spelt', 'that is', "that's", 'i spell', 'spelling'],
  soundsLike: { to: 2, too: 2, for: 4, fore: 4, won: 1, ate: 8, tan: 10 },
  likely: LIKELY,
  one: set('a an'),
  or: 'or',
  and: 'and',
  units: set(
    "o'clock oclock am pm a.m p.m euro euros dollar dollars pound pounds minute minutes hour hours percent past point cents",
  ),
  leadIns: set(
    'um uh er erm well so oh okay ok please hello hi the a an for on at in to by and it is its would be then we are i am that of',
  ),
  dictation: {
    marks: [
      ['new paragraph', '\n\n'],
      ['new line', '\n'],
      ['full stop', '.'],
      ['question mark', '?'],
      ['exclamation mark', '!'],
      ['semicolon', ';'],
      ['comma', ','],
      ['colon', ':'],
    ],
    scratch: ['scratch that', 'delete that', 'strike that'],
    over: [
      'that is all',
      "that's all",
      'that is it',
      "that's it",
      'end of dictation',
      'end of message',
      'end of entry',
      'end of the message',
      'end of the entry',
    ],
    add: ['and add that', 'and add', 'please add that', 'please add', 'add that', 'add'],
  },
  assent,
  control: (words) => {
    for (const text of [words.join(' '), bare(words).join(' ')])
      for (const [control, pattern] of CONTROLS) if (pattern.test(text)) return control;
    return null;
  },
  asksAnew: (words) =>
    /^(?:what|when|where|who|whose|which|how|why|(?:is|are|do|does|did|will) (?:the|there|it|they|you))\b/.test(
      words.join(' '),
    ),
  joiners: set('and then also please'),
  obeyed: [
    'yes',
    'no',
    'never mind',
    'forget it',
    'cancel',
    'start again',
    'what did i say',
    'what can you do',
    'go on',
  ],
  isQuestion: (words) => {
    const said = bare(words);
    return said.length > 1 && QUESTION.has(said[0]!) && !NO_QUESTION.test(said.join(' '));
  },
  sayings: {
    notUnderstood: 'I did not get that.',
    unknown: 'I do not know {value}. There is {list}.',
    which: 'Do you mean {list}?',
    changed: '{value}, then.',
    readBack: 'I have {list}. Is that right?',
    past: 'That is in the past.',
    noSuchDay: 'There is no such day.',
    closedThen: 'Not on that day.',
    least: 'It must be at least {bound}.',
    most: 'It can be at most {bound}.',
    length: 'It must have {bound} digits.',
    phoneTooShort: 'That is too short for a telephone number.',
    phoneTooLong: 'That is too long for a telephone number.',
    oneByOne: "One after the other: first I'll {first}. Then I'll {second}.",
    answerQuestion: 'answer your question',
    notPossible: 'That is not possible.',
    whatChange: 'What shall I change?',
    leaveIt: 'I cannot get it. Shall I leave it?',
    orPerson: 'I cannot get it. Shall I hand you over to a person?',
    takeUp: 'Shall we go on with what we began: {title}?',
    cancelled: 'All right. Nothing was done.',
    tooLate: 'It is being done, and cannot be stopped any more.',
    underWay: 'It is still being done.',
    done: 'It is done.',
    failed: 'I am sorry, that could not be done. Nothing was changed.',
    unsure: 'I am sorry, I cannot tell whether it was done. Please ask before you try it again.',
    recall: 'So far I have {list}.',
    abilities: 'I can {list}.',
    notDelivered: 'Your last message to {list} could not be delivered.',
    perhapsDelivered: 'I cannot tell whether your last message to {list} arrived.',
    source: 'According to {source}: {text}',
  },
};
