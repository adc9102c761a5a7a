/**
 * Why a turn seems to be over, or not: the signs that words give, and what else counts. Data, so that code
 * can compare them; the sentences are for a person.
 */

/** Each sign with the sentence for a person. */
const SIGNS = {
  noWords: () => 'there are no words yet',
  endsWith: ({ words }: { words: string }) => `it ends with "${words}"`,
  endsWithFiller: ({ word }: { word: string }) => `it ends with the filler "${word}"`,
  nameBegun: ({ words }: { words: string }) => `"${words}" is not a whole name`,
  takenBack: ({ word }: { word: string }) => `it takes something back ("${word}")`,
  answersQuestion: () => 'it answers the question',
  numberAskedFor: () => 'it is the number that was asked for',
  dayAskedFor: () => 'it is the day that was asked for',
  nameAskedFor: () => 'it is the name that was asked for',
  slotAskedFor: () => 'it is what was asked for',
  greeting: () => 'a greeting often goes on',
  beganWith: ({ word }: { word: string }) => `it began with "${word}"`,
  wholeQuestion: () => 'it is a whole question',
  questionBegun: () => 'the question has only begun',
  wholeRequest: () => 'it is a whole request',
  requestBegun: () => 'the request has only begun',
  wholeSentence: () => 'it is a whole sentence',
  fewWords: () => 'it is only a few words',
  digitsMissing: ({ digits }: { digits: number }) => `${digits} digits are no whole number`,
  digitsMayBeAll: ({ digits }: { digits: number }) => `${digits} digits may be all`,
  numberGoesOn: ({ word }: { word: string }) => `a number goes on after "${word}"`,
  dateGoesOn: ({ word }: { word: string }) => `a date goes on after "${word}"`,
  monthMayFollow: () => 'a month may follow',
  mayFollow: ({ word }: { word: string }) => `something may follow "${word}"`,
  noRules: () => 'there are no rules for this language: pauses decide',
  expectedPhrase: () => 'it is a phrase that is expected here',
  expectedPhraseBegun: () => 'an expected phrase has only begun',
  hardlyUnderstood: () => 'it was hardly understood',
  wordsLag: () => 'the last words are not known yet',
};

/** What a table's function takes, beside the name under which it stands. */
export type ValuesOf<F> = F extends (values: infer V) => string ? (unknown extends V ? object : V) : never;

export type Sign = {
  [K in keyof typeof SIGNS]: { sign: K } & ValuesOf<(typeof SIGNS)[K]>;
}[keyof typeof SIGNS];

export interface Grounds {
  sign: Sign;
  /** The sign counts for less: recognition may have misheard. */
  doubtful?: true;
  /** The voice fell, or stayed up, before the silence. */
  melody?: 'fell' | 'stayed up';
  /** This caller's own pauses within turns, in ms: they made the wait longer. */
  ownPauseMs?: number;
  /** The answer has no sound yet, so that waiting on costs nothing. */
  answerIsPrepared?: true;
}

/** For a person to read. */
export function groundsInWords({ sign, doubtful, melody, ownPauseMs, answerIsPrepared }: Grounds): string {
  let words = (SIGNS[sign.sign] as (values: Sign) => string)(sign);
  if (doubtful) words += ', if it was understood rightly';
  if (melody) words += `, and the voice ${melody}`;
  if (ownPauseMs !== undefined) words += `; this caller pauses for ${ownPauseMs} ms`;
  if (answerIsPrepared) words += '; the answer is still being prepared, so waiting costs nothing';
  return words;
}
