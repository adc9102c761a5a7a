/**
 * What it costs that the local ears heard one phone (ARPAbet) for another, added one, or lost one: logarithms
 * of how often they do, learned on the tuning half by `npm run train phone-costs`.
 */

const LOST: Readonly<Record<string, number>> = {
  AA: 0.6,
  AE: 0.87,
  AH: 0.53,
  AO: 0.63,
  AW: 0.38,
  AY: 0.96,
  B: 0.53,
  CH: 1.2,
  D: 0.57,
  DH: 0.36,
  EH: 0.97,
  ER: 0.46,
  EY: 0.7,
  F: 0.6,
  G: 0.59,
  HH: 0.43,
  IH: 0.57,
  IY: 0.65,
  JH: 0.4,
  K: 0.58,
  L: 0.58,
  M: 0.72,
  N: 0.51,
  NG: 0.49,
  OW: 0.48,
  OY: 0.45,
  P: 0.51,
  R: 0.66,
  S: 0.78,
  SH: 0.91,
  T: 0.51,
  TH: 0.36,
  UH: 0.66,
  UW: 0.5,
  V: 0.68,
  W: 1.4,
  Y: 0.51,
  Z: 0.55,
  ZH: 0.8,
};
const ADDED: Readonly<Record<string, number>> = {
  AA: 0.74,
  AE: 0.91,
  AH: 0.64,
  AO: 0.27,
  AW: 0.79,
  AY: 0.73,
  B: 0.4,
  CH: 1.2,
  D: 0.46,
  DH: 0.4,
  EH: 1.4,
  ER: 0.75,
  EY: 0.76,
  F: 0.64,
  G: 0.46,
  HH: 0.55,
  IH: 0.56,
  IY: 1.04,
  JH: 0.23,
  K: 0.71,
  L: 0.34,
  M: 0.72,
  N: 0.55,
  NG: 0.65,
  OW: 0.38,
  OY: 1.12,
  P: 0.39,
  R: 0.75,
  S: 0.7,
  SH: 0.24,
  T: 0.44,
  TH: 0.6,
  UH: 0.74,
  UW: 0.52,
  V: 0.45,
  W: 0.78,
  Y: 0.3,
  Z: 0.98,
  ZH: 0.8,
};
/** What was said, and what was heard. */
const NEAR: Readonly<Record<string, number>> = {
  'AA AH': 0.64,
  'AA AO': 0.58,
  'AA AW': 0.79,
  'AE AH': 0.71,
  'AE EH': 0.7,
  'AH AE': 0.78,
  'AO AA': 0.77,
  'AW AA': 0.72,
  'AW AH': 0.33,
  'AW OW': 0.72,
  'AW UW': 0.62,
  'B D': 0.76,
  'B W': 0.74,
  'CH F': 0.67,
  'D T': 0.67,
  'EH AH': 0.61,
  'ER AH': 0.73,
  'EY AH': 0.76,
  'EY IH': 0.6,
  'EY IY': 0.53,
  'F L': 0.78,
  'F V': 0.72,
  'G B': 0.65,
  'G HH': 0.73,
  'G K': 0.4,
  'HH V': 0.76,
  'IH AH': 0.62,
  'IH IY': 0.77,
  'IH UW': 0.79,
  'JH CH': 0.53,
  'JH HH': 0.61,
  'JH SH': 0.71,
  'JH T': 0.61,
  'JH V': 0.61,
  'K D': 0.67,
  'K F': 0.73,
  'K G': 0.72,
  'K HH': 0.75,
  'K T': 0.78,
  'L W': 0.69,
  'M DH': 0.76,
  'M L': 0.78,
  'M N': 0.79,
  'NG N': 0.52,
  'OW AH': 0.61,
  'OY ER': 0.59,
  'P B': 0.57,
  'S D': 0.63,
  'S Z': 0.69,
  'SH CH': 0.43,
  'SH G': 0.51,
  'SH JH': 0.61,
  'SH S': 0.61,
  'SH T': 0.51,
  'SH Z': 0.61,
  'SH ZH': 0.61,
  'T D': 0.69,
  'TH D': 0.78,
  'TH DH': 0.67,
  'TH F': 0.58,
  'TH HH': 0.78,
  'TH M': 0.7,
  'TH S': 0.6,
  'TH Z': 0.7,
  'UH AH': 0.63,
  'UH UW': 0.7,
  'V T': 0.76,
  'W S': 0.78,
  'Y D': 0.68,
  'Z D': 0.77,
  'Z S': 0.67,
  'ZH S': 0.5,
  'ZH SH': 0.5,
  'ZH Z': 0.5,
};
const FAR = 1.3;
const UNKNOWN = 0.8;

/** Phones are counted; what is none of them comes after the last. */
export const PHONES: readonly string[] = Object.keys(LOST);
/** Names in a pronunciation that are no phones of ARPAbet; stress (`IY1`) is none of the name. */
export const unknownPhones = (pronunciation: string): string[] =>
  pronunciation
    .trim()
    .split(/\s+/)
    .filter((name) => !PHONES.includes(name.replace(/[0-2]$/, '')));
const COUNT = PHONES.length + 1;
const added = Float64Array.from({ length: COUNT }, (_, phone) => ADDED[PHONES[phone] ?? ''] ?? UNKNOWN);
const lost = Float64Array.from({ length: COUNT }, (_, phone) => LOST[PHONES[phone] ?? ''] ?? UNKNOWN);
const others = new Float64Array(COUNT * COUNT).fill(FAR);
PHONES.forEach((said, i) =>
  PHONES.forEach((heard, j) => (others[i * COUNT + j] = i === j ? 0 : (NEAR[`${said} ${heard}`] ?? FAR))),
);

/** Of a pronunciation in ARPAbet, without stress, with spaces between its phones. */
export function phonesOf(pronunciation: string): number[] {
  return pronunciation.split(' ').map((name) => {
    const phone = PHONES.indexOf(name);
    return phone < 0 ? PHONES.length : phone;
  });
}

export function otherCost(said: number, heard: number): number {
  return others[said * COUNT + heard]!;
}

export function addedCost(heard: number): number {
  return added[heard]!;
}

export function lostCost(said: number): number {
  return lost[said]!;
}
