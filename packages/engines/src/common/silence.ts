/** What is cut off at both ends of a synthesised clip. */

/** Sound quieter than this is silence, in dBFS. */
export const SILENCE_FLOOR_DB = -50;
/** So much is left at the ends, so that no consonant is cut, in ms. */
export const MARGIN_MS = 8;
