/** How long answers may be, from one sentence on. */
export const ANSWER_LENGTHS = ['brief', 'short', 'long'] as const;
export type AnswerLength = (typeof ANSWER_LENGTHS)[number];
