/** What a saying comes to: how the errands stand after it, and what is to be done or said. */
import type { Token } from '../language/common/meaning.js';
import type { ErrandBook } from './book.js';
import type { Errands, Run, RunEnding } from './contract.js';
import type { Speaking } from './sentences.js';

export type Move =
  /** It is nothing for an errand. */
  | { do: 'pass' }
  | { do: 'say'; text: string }
  /** A question in between: it is answered, and then this is asked. */
  | { do: 'answer'; then: string }
  /** The run is to be done, now and once. */
  | { do: 'act'; run: Run }
  | { do: 'stop'; run: Run }
  | { do: 'hand over'; run: Run; text: string };

export interface Step {
  errands: Errands;
  move: Move;
  ended: readonly { run: Run; ending: RunEnding }[];
}

export interface Said {
  text: string;
  tokens: readonly Token[];
}

export interface DialogueContext extends Speaking {
  book: ErrandBook;
  /** A person can take over. */
  person: boolean;
}
