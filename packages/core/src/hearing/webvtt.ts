/** Captions as WebVTT (W3C): cues of a line or two from words with their times. */
import type { HeardWord } from '../vocabulary/words.js';

/** A cue is at most so long, in characters and in ms: two lines that can be read. */
const MOST_CHARACTERS = 74;
const MOST_CUE_MS = 6_000;
/** A pause this long begins a new cue, in ms. */
const CUE_PAUSE_MS = 700;

export interface Cue {
  fromMs: number;
  toMs: number;
  text: string;
  /** Who speaks, for a voice tag. */
  who?: string;
}

export function cuesOf(words: readonly HeardWord[], who?: string): Cue[] {
  const cues: Cue[] = [];
  for (const { word, fromMs, toMs } of words) {
    const last = cues.at(-1);
    const fits =
      last &&
      last.text.length + 1 + word.length <= MOST_CHARACTERS &&
      toMs - last.fromMs <= MOST_CUE_MS &&
      fromMs - last.toMs < CUE_PAUSE_MS;
    if (fits) Object.assign(last, { text: `${last.text} ${word}`, toMs });
    else cues.push({ fromMs, toMs, text: word, ...(who === undefined ? {} : { who }) });
  }
  return cues;
}

export function webVtt(cues: readonly Cue[]): string {
  const blocks = [...cues]
    .sort((a, b) => a.fromMs - b.fromMs)
    .map(({ fromMs, toMs, text, who }) => {
      return `${stamp(fromMs)} --> ${stamp(Math.max(toMs, fromMs + 1))}\n${who === undefined ? '' : `<v ${plainText(who)}>`}${plainText(text)}`;
    });
  return `${['WEBVTT', ...blocks].join('\n\n')}\n`;
}

/** One line without tags: a name or a word cannot begin a cue of its own. */
const plainText = (text: string): string =>
  text
    .replace(/\p{Cc}+/gu, ' ')
    .trim()
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;');

function stamp(ms: number): string {
  const whole = Math.max(0, Math.round(ms));
  const part = (value: number, digits = 2) => String(value).padStart(digits, '0');
  return `${part(Math.floor(whole / 3_600_000))}:${part(Math.floor(whole / 60_000) % 60)}:${part(Math.floor(whole / 1000) % 60)}.${part(whole % 1000, 3)}`;
}
