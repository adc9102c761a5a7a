/** What a rule of writing is: it looks at the spoken words from one place on and may put one written word for some of them. */

export interface Around {
  /** Did the caller pause noticeably before this word? */
  isPause: (index: number) => boolean;
}

export type Rule = (
  words: readonly string[],
  at: number,
  around: Around,
) => { count: number; written: string } | null;
