/**
 * What passes from one stage of a talk to the next, as code of somebody's own is given it and gives it back
 * (docs/own-stages.md).
 */
import { Type, type Static } from '@sinclair/typebox';
import { closed } from './names.js';

const Ms = Type.Number({
  description: 'milliseconds on the caller’s axis: the index of the captured sample',
});

export const HeardWord = Type.Object(
  {
    word: Type.String(),
    fromMs: Ms,
    toMs: Ms,
    confidence: Type.Optional(Type.Number({ minimum: 0, maximum: 1 })),
    /** As the engine itself wrote it, with capitals and marks, where it does. */
    written: Type.Optional(Type.String()),
    /** What was really said, where `word` is its written form. */
    spoken: Type.Optional(Type.String()),
    /** How it sounds (ARPAbet), where words of the engine may be put right by their sound. */
    phones: Type.Optional(Type.String()),
    /**
     * What the engine heard, where another word was put in its place because an expected phrase sounds like
     * it.
     */
    heardAs: Type.Optional(Type.String()),
  },
  closed,
);

export const PassedMessage = Type.Object({
  role: Type.Union([Type.Literal('caller'), Type.Literal('assistant'), Type.Literal('result')]),
  text: Type.String({ maxLength: 20_000 }),
});

/** What a stage is given: words heard, messages to the model, or a phrase to be spoken. */
export const passing = {
  words: Type.Optional(Type.Array(HeardWord, { maxItems: 5_000 })),
  messages: Type.Optional(Type.Array(PassedMessage, { maxItems: 2_000 })),
  text: Type.Optional(Type.String({ maxLength: 20_000 })),
};
/** … and may give back; `veto` drops it. */
export const passed = { ...passing, veto: Type.Optional(Type.Boolean()) };
export const Passed = Type.Object(passed);
export type Passed = Static<typeof Passed>;

/** Of one piece of a page's answer, and of all of it. */
export const MOST_PIECE_CHARACTERS = 20_000;
export const MOST_ANSWER_CHARACTERS = 100_000;

export const STAGES = ['heard', 'asked', 'spoken'] as const;
export type StageName = (typeof STAGES)[number];
/** What a caller's page may take part in: the stages, and the model's place. */
export const PARTS = [...STAGES, 'thinking'] as const;
export type Part = (typeof PARTS)[number];
