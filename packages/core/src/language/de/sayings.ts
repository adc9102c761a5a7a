/** Short German sayings: about the talk itself, yes and no, and what is said over somebody's voice. */
import type { SpokenCommand } from '../common/contract.js';
import { overlapBy } from '../common/overlap.js';

const any = (...phrases: string[]) => `(?:${phrases.join('|')})`;
const LEAD = any(
  'bitte',
  'okay',
  'ok',
  'nein',
  'halt',
  'so',
  'und',
  'jetzt',
  'also',
  'äh',
  'ähm',
  'hallo',
  'moment',
  'lass uns',
  'ich möchte',
  'wir wollen',
  'können wir',
  'kannst du',
  'können sie',
);
const TAIL = any('bitte', 'jetzt', 'noch ?mal', 'danke', 'mal');
const FRESH = any(
  'von vorne?',
  '(?:noch ?mal|nochmals) von vorne?',
  '(?:noch ?mal )?von vorne? (?:an|be)?(?:fangen|ginnen)',
  'fang(?:en wir)? (?:noch ?mal )?von vorne? an',
  'fangen sie von vorne? an',
  'neu (?:an)?fangen',
  'fang neu an',
  'neuer anfang',
  'neustart',
  'vergiss (?:das )?alles',
  'vergessen sie (?:das )?alles',
  'neues gespräch',
);
const SHORTER = any(
  'kürzer',
  'mach es kürzer',
  'fass dich (?:kurz|kürzer)',
  'fassen sie sich (?:kurz|kürzer)',
  'kürzere antworten',
  'kurze antworten',
  '(?:das ist )?zu lang',
  'weniger details',
);
const LONGER = any(
  'länger',
  'ausführlicher',
  'ausführlichere antworten',
  'längere antworten',
  'mehr details',
  'genauer',
);
const CLOSING = any(
  'tschüss',
  'tschüß',
  'tschau',
  'ciao',
  'auf wiedersehen',
  'auf wiederhören',
  'wiedersehen',
  'wiederhören',
  'bis bald',
  'bis später',
  'das war alles',
  "das war's",
  'das wars',
  'das ist alles',
  'gute nacht',
  'servus',
  'schönen tag noch',
  'auflegen',
);
const SOMEBODY = '(?:einem (?:richtigen |echten )?menschen|einer person|jemandem|jemand|einem mitarbeiter)';
const PERSON = any(
  '(?:einen|ein) (?:richtigen |echten )?mensch(?:en)?',
  `(?:ich (?:möchte|will|würde gerne) )?mit ${SOMEBODY}(?: (?:sprechen|reden))?`,
  `verbinden sie mich (?:bitte )?mit ${SOMEBODY}`,
  `geben sie mir (?:bitte )?(?:einen menschen|jemanden)`,
);
const COURTESY = any(
  'okay',
  'ok',
  'gut',
  'ja',
  'nein',
  'danke',
  'danke schön',
  'vielen dank',
  'dann',
  'und',
  'also',
  'prima',
  'super',
  'alles klar',
  'für heute',
  'einen schönen tag',
  'schönen tag',
);

const plain = (text: string) =>
  text
    .toLowerCase()
    .replace(/’/g, "'")
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);

export function germanCommand(text: string, names: readonly string[]): SpokenCommand | null {
  const address = names.map((name) => name.toLowerCase());
  const words = plain(text)
    .filter((word) => !address.includes(word))
    .join(' ');
  const whole = (command: string) => new RegExp(`^(?:${LEAD} )*${command}(?: ${TAIL})*$`).test(words);
  if (whole(FRESH)) return { command: 'fresh', rest: '' };
  if (whole(SHORTER)) return { command: 'shorter', rest: '' };
  if (whole(LONGER)) return { command: 'longer', rest: '' };
  if (new RegExp(`^(?:${COURTESY} )*${CLOSING}(?: (?:${COURTESY}|${CLOSING}))*$`).test(words))
    return { command: 'goodbye', rest: '' };
  if (whole(PERSON)) return { command: 'person', rest: '' };
  return null;
}

const YES = new RegExp(
  `^${any('ja', 'jawohl', 'jo', 'genau', 'richtig', 'stimmt', 'korrekt', 'ja bitte', 'ja genau', 'ja richtig', 'ja das stimmt', 'das stimmt', 'das ist richtig', 'gerne', 'ja gerne', 'klar', 'natürlich', 'okay')}$`,
);
const NO = new RegExp(
  `^${any('nein', 'nee', 'ne', 'nein danke', 'falsch', 'das ist falsch', 'stimmt nicht', 'das stimmt nicht', 'nein das stimmt nicht', 'nein das ist falsch', 'auf keinen fall', 'nicht wirklich')}$`,
);

export function germanAssent(text: string): 'yes' | 'no' | null {
  const words = plain(text).join(' ');
  return YES.test(words) ? 'yes' : NO.test(words) ? 'no' : null;
}

const AT_ONCE = [
  'stopp',
  'stop',
  'halt',
  'warte',
  'warten sie',
  'moment mal',
  'einen moment',
  'entschuldigung',
  'hör auf',
  'hören sie auf',
];
const STOPS = [
  'nein',
  'moment',
  'ruhe',
  'genug',
  'sekunde',
  'eigentlich',
  'hey',
  'vergiss es',
  'falsch',
  'pardon',
];
const NODS = new Set(
  'mm mhm hm hmm mmm aha ah oh ach ja jo jep okay ok gut genau richtig klar schön prima super toll stimmt verstehe interessant gerne sicher so'.split(
    ' ',
  ),
);
const NOD_PHRASES = new Set([
  'ach so',
  'alles klar',
  'ich verstehe',
  'sehr gut',
  'na gut',
  'aha okay',
  'ja klar',
  'oh schön',
  'das ist gut',
]);
const SCRAPS = new Set(
  'ein eine der die das und oder aber so als am im in an auf bei mit von zu um ist sind war hat er sie es wir ich du den dem des nicht da dann was wer'.split(
    ' ',
  ),
);

/** What is said over anybody's voice, as templates of expected phrases. */
export const GERMAN_INTERJECTIONS = [
  '(stopp|halt|warte|nein|moment|entschuldigung) [mal|stopp|nein]',
  '(ja|okay|genau|klar|verstehe|alles klar|ach so|mhm)',
];

export const germanOverlap = overlapBy({
  atOnce: AT_ONCE,
  stops: STOPS,
  nods: NODS,
  nodPhrases: NOD_PHRASES,
  scraps: SCRAPS,
});
