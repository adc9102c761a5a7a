/** The first part of a BCP 47 tag: the language without its region. */
export const primaryOf = (tag: string): string => tag.toLowerCase().split('-')[0]!;
