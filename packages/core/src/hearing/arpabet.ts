/** The phones of ARPAbet, in which pronunciations are written. */

export const PHONES: readonly string[] =
  'AA AE AH AO AW AY B CH D DH EH ER EY F G HH IH IY JH K L M N NG OW OY P R S SH T TH UH UW V W Y Z ZH'.split(
    ' ',
  );

/** Names in a pronunciation that are no phones of ARPAbet; stress (`IY1`) is none of the name. */
export const unknownPhones = (pronunciation: string): string[] =>
  pronunciation
    .trim()
    .split(/\s+/)
    .filter((name) => !PHONES.includes(name.replace(/[0-2]$/, '')));
