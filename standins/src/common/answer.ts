/**
 * How the stand-in model answers: it works out what the caller wants from the whole conversation (what was
 * asked before is remembered), looks it up in the knowledge sheet, and says honestly when it does not know.
 */
import { findTopic, wordsOf, type Hut, type Knowledge } from './knowledge.js';

/** A saying of the talk so far. */
export interface Said {
  by: 'caller' | 'assistant';
  words: string;
}

export interface Question {
  persona: string;
  talkSoFar: Said[];
  answerLength: 'brief' | 'short' | 'long';
}

/** What the caller has said so far that still counts. */
interface Memory {
  hut: string | null;
  night: string | null;
  count: number | null;
  name: string | null;
  wish: Wish | null;
}

type Wish = 'bunks' | 'book' | 'supper' | 'breakfast' | 'warden' | 'height';

const NUMBERS = [
  'zero',
  'one',
  'two',
  'three',
  'four',
  'five',
  'six',
  'seven',
  'eight',
  'nine',
  'ten',
  'eleven',
  'twelve',
];

const WISHES: [Wish, RegExp][] = [
  [
    'book',
    /\b(?:book|reserve|booking|reservation|i(?:'d| would) like \w+ bunks?|i (?:want|need) \w+ bunks?)\b/,
  ],
  ['bunks', /\b(?:bunks?|beds?|free|space|room|places?)\b/],
  ['supper', /\b(?:supper|dinner|evening meal|eat)\b/],
  ['breakfast', /\bbreakfast\b/],
  ['warden', /\b(?:warden|wardens|who runs|in charge)\b/],
  ['height', /\b(?:how high|height|altitude|elevation)\b/],
];

export function answer(knowledge: Knowledge, { persona, talkSoFar, answerLength }: Question): string {
  const last = talkSoFar.at(-1);
  if (last?.by !== 'caller') return 'I am listening.';
  const text = last.words.toLowerCase();
  const memory = remember(knowledge, talkSoFar);
  const long = answerLength === 'long';
  const whole =
    courtesy(text, persona, memory) ??
    aboutMemory(text, talkSoFar, memory) ??
    aboutHuts(knowledge, text, memory, long) ??
    aboutTopics(knowledge, text, long) ??
    repairs(knowledge, text, memory, long) ??
    'I am sorry, that is not in my knowledge sheet. I can tell you about the huts, the paths, free bunks and meal times.';
  return answerLength === 'brief' ? firstSentence(whole) : whole;
}

function firstSentence(text: string): string {
  return /^.*?[.!?](?=\s+\p{Lu}|$)/su.exec(text)?.[0] ?? text;
}

function nameOf(persona: string): string {
  return /\byou are (\w+)/i.exec(persona)?.[1] ?? 'the assistant';
}

function courtesy(text: string, persona: string, memory: Memory): string | null {
  const words = wordsOf(text);
  if (/\b(?:goodbye|bye|see you)\b/.test(text))
    return `Goodbye${memory.name ? `, ${memory.name}` : ''}, and have a safe walk!`;
  if (/\bthank(?:s| you)\b/.test(text) && words.length <= 7)
    return 'You are welcome. Is there anything else?';
  if (/\b(?:who are you|your name)\b/.test(text))
    return `I am ${nameOf(persona)}, the assistant of the four huts.`;
  if (words.length <= 4 && /^(?:hello|hi|hey|good (?:morning|evening|day))\b/.test(text)) {
    return `Hello! This is ${nameOf(persona)}. What would you like to know?`;
  }
  return null;
}

function aboutMemory(text: string, talkSoFar: Said[], memory: Memory): string | null {
  if (/\bmy name is \w+/.test(text)) return `Nice to meet you, ${memory.name}. How can I help you?`;
  if (/\bwhat(?:'s| is) my name\b/.test(text)) {
    return memory.name
      ? `You told me that your name is ${memory.name}.`
      : 'You have not told me your name yet.';
  }
  if (/\bwhat did i (?:just )?(?:ask|say)\b/.test(text)) {
    const before = talkSoFar.filter(({ by }) => by === 'caller').at(-2);
    return before ? `Before this you said: ${before.words}.` : 'This is the first thing that you have said.';
  }
  if (/\b(?:shorter|keep it short|be brief|too long|longer|more details?)\b/.test(text)) {
    const mine = talkSoFar.filter(({ by }) => by === 'assistant').at(-1);
    return mine && /short|brief|too long/.test(text)
      ? firstSentence(mine.words)
      : 'Gladly. What would you like to know?';
  }
  if (/\b(?:say that again|repeat that|come again|pardon)\b/.test(text)) {
    const mine = talkSoFar.filter(({ by }) => by === 'assistant').at(-1);
    return mine ? `I said: ${mine.words}` : 'I have not said anything yet.';
  }
  return null;
}

function aboutHuts(knowledge: Knowledge, text: string, memory: Memory, long: boolean): string | null {
  const named = mentions(knowledge, text);
  const asked = wishIn(text);
  const follows =
    /\b(?:and|what about|how about|actually|make it|then)\b/.test(text) || wordsOf(text).length <= 4;
  const wish = asked ?? (follows && (named.hut || named.night || named.count) ? memory.wish : null);
  if (!wish || (wish === 'bunks' && isAboutSomethingElse(text))) return null;
  const hut = memory.hut ? knowledge.huts[memory.hut] : undefined;
  if (wish === 'supper' || wish === 'breakfast') return meal(knowledge, wish, memory.hut, long);
  if (!memory.hut || !hut) {
    if (wish === 'bunks') return overview(knowledge, memory.night);
    return `At which hut? There are ${listOf(Object.keys(knowledge.huts))}.`;
  }
  if (wish === 'warden') return `The warden of ${memory.hut} is ${hut.warden}.`;
  if (wish === 'height') return `${memory.hut} lies at ${hut.heightMetres} metres.`;
  return wish === 'book' ? booking(memory, memory.hut, hut) : freeBunks(memory, memory.hut, hut, long);
}

function isAboutSomethingElse(text: string): boolean {
  if (/\b(?:cost|price|pay|expensive)\b/.test(text)) return true;
  return /\b(?:path|saddle open|bridge)\b/.test(text) && !/\b(?:bunks?|beds?)\b/.test(text);
}

function meal(
  knowledge: Knowledge,
  wish: 'supper' | 'breakfast',
  name: string | null,
  long: boolean,
): string {
  const names = name ? [name] : Object.keys(knowledge.huts);
  const times = new Set(names.map((hut) => knowledge.huts[hut]![wish]));
  const what = wish === 'supper' ? 'Supper' : 'Breakfast';
  const tail =
    long && wish === 'supper'
      ? ' Please tell the warden by four in the afternoon if you do not eat meat.'
      : '';
  if (times.size === 1) return `${what} ${name ? `at ${name} ` : ''}is at ${[...times][0]}.${tail}`;
  return `${names.map((hut) => `At ${hut} ${wish} is at ${knowledge.huts[hut]![wish]}`).join('. ')}.${tail}`;
}

function overview(knowledge: Knowledge, night: string | null): string {
  const when = night ?? 'Saturday';
  const parts = Object.entries(knowledge.huts).map(
    ([name, hut]) => `${countOf(hut.bunks[when] ?? 0)} at ${name}`,
  );
  return `On ${when} there are free bunks at several huts: ${listOf(parts)}.`;
}

function freeBunks(memory: Memory, name: string, hut: Hut, long: boolean): string {
  const night = memory.night ?? 'Saturday';
  const free = hut.bunks[night] ?? 0;
  const tail = long ? ` ${hut.remark}` : '';
  if (free === 0)
    return `I am sorry, ${name} is full on ${night}. Shall I look at another hut or another night?${tail}`;
  return `There ${free === 1 ? 'is one bunk' : `are ${countOf(free)} bunks`} free at ${name} on ${night}.${tail}`;
}

function booking(memory: Memory, name: string, hut: Hut): string {
  if (!memory.night) return `For which night would you like to stay at ${name}?`;
  if (!memory.count) return `How many bunks do you need at ${name} on ${memory.night}?`;
  const free = hut.bunks[memory.night] ?? 0;
  if (free < memory.count) {
    return `I am sorry, only ${countOf(free)} bunks are free at ${name} on ${memory.night}, and you need ${countOf(memory.count)}.`;
  }
  const who = memory.name ? `, under the name ${memory.name}` : '';
  return (
    `${name} has room for ${countOf(memory.count)} on ${memory.night}${who}. ` +
    `I cannot write bookings myself yet, so please tell ${hut.warden}, the warden.`
  );
}

function aboutTopics(knowledge: Knowledge, text: string, long: boolean): string | null {
  const topic = findTopic(knowledge, text);
  return topic ? (long ? `${topic.short} ${topic.long}` : topic.short) : null;
}

/** "No, I mean Rowan Hut", "on Friday then": the last wish with what is new. */
function repairs(knowledge: Knowledge, text: string, memory: Memory, long: boolean): string | null {
  const named = mentions(knowledge, text);
  if (named.hut && !memory.wish) {
    const hut = knowledge.huts[named.hut]!;
    return `${named.hut} lies at ${hut.heightMetres} metres, and ${hut.warden} is the warden. ${hut.remark}`;
  }
  if (!memory.wish || !(named.hut ?? named.night ?? named.count)) return null;
  return aboutHuts(knowledge, `${memory.wish} ${text}`, memory, long);
}

function wishIn(text: string): Wish | null {
  return WISHES.find(([, pattern]) => pattern.test(text))?.[0] ?? null;
}

function mentions(knowledge: Knowledge, text: string): Pick<Memory, 'hut' | 'night' | 'count'> {
  const lower = text.toLowerCase();
  const hut = Object.keys(knowledge.huts).find((name) => {
    const first = name.toLowerCase().split(' ')[0]!;
    return (
      new RegExp(`\\b${first}\\b(?! (?:is )?(?:open|closed))`).test(lower) &&
      !new RegExp(`over the ${first}`).test(lower)
    );
  });
  const night = knowledge.nights.find((name) => new RegExp(`\\b${name.toLowerCase()}s?\\b`).test(lower));
  const counted =
    /\b(\d+|zero|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve)\b(?! (?:o'clock|of|night))/.exec(
      lower,
    )?.[1];
  const count =
    counted === undefined ? null : /\d/.test(counted) ? Number(counted) : NUMBERS.indexOf(counted);
  return { hut: hut ?? null, night: night ?? null, count };
}

function remember(knowledge: Knowledge, talkSoFar: Said[]): Memory {
  const memory: Memory = { hut: null, night: null, count: null, name: null, wish: null };
  const last = talkSoFar.length - 1;
  talkSoFar.forEach(({ by, words }, i) => {
    if (by !== 'caller') return;
    const found = mentions(knowledge, words);
    memory.hut = found.hut ?? memory.hut;
    memory.night = found.night ?? memory.night;
    memory.count = found.count ?? memory.count;
    const name = /\b(?:my name is|under the name(?: of)?|this is) (\p{L}+)/iu.exec(words)?.[1];
    if (name) memory.name = name[0]!.toUpperCase() + name.slice(1).toLowerCase();
    const wish = wishIn(words.toLowerCase());
    if (wish && !(i === last && isAboutSomethingElse(words.toLowerCase()))) memory.wish = wish;
  });
  return memory;
}

function countOf(n: number): string {
  return NUMBERS[n] ?? String(n);
}

function listOf(parts: string[]): string {
  return parts.length < 2 ? parts.join('') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)!}`;
}
