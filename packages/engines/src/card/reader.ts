/** Reads an engine's messages as its card says. */
import type { Call, HeardWord, WordTime } from '@verbalon/core';
import type { ReadRule, ReceivePart } from '@verbalon/protocol';
import { EngineFault } from '../common/contract.js';
import { Calls } from './calls.js';
import { at, firstAt } from './pointer.js';
import type { Hide } from './secrecy.js';
import { SpokenText } from './spoken-text.js';

export type Found =
  | { kind: 'partial' | 'final'; words: HeardWord[]; alternatives: string[] }
  | { kind: 'piece'; text: string }
  | { kind: 'usage'; tokensIn: number | null; tokensOut: number | null }
  | { kind: 'sound'; bytes: Buffer }
  | { kind: 'words'; words: WordTime[] }
  | { kind: 'call' }
  | { kind: 'closes'; how: 'end' | 'hand over' }
  | { kind: 'end' };

/** So much of a strange message is shown. */
const SHOWN = 120;
const MOST_LOOKED_AT = 4_000;

type HeardText = NonNullable<ReadRule['final']>;
type WordList = NonNullable<ReadRule['words']>;

function usageIn(usage: NonNullable<ReadRule['usage']>, message: unknown): Found[] {
  const count = (pointer?: string) => numberOr(pointer === undefined ? null : at(message, pointer), null);
  const [tokensIn, tokensOut] = [count(usage.in), count(usage.out)];
  return tokensIn === null && tokensOut === null ? [] : [{ kind: 'usage', tokensIn, tokensOut }];
}

export class Reader {
  private first: string | null = null;
  private fitted = 0;
  private messages = 0;
  private readonly calls = new Calls();
  private readonly spoken: SpokenText | null;

  /** @param finished words come with capitals and marks, and are kept so */
  constructor(
    private readonly name: string,
    private readonly part: ReceivePart,
    private readonly hide: Hide,
    private readonly finished = false,
  ) {
    this.spoken = part.spoken === undefined ? null : new SpokenText(name, part.spoken);
  }

  /** The functions that the answer wants called; all of it has come. */
  called(): Call[] {
    return this.calls.all();
  }

  /**
   * @throws EngineFault `engine-garbled` for what is not JSON, `engine-refused` for an error that the engine
   * tells
   */
  read(text: string): Found[] {
    this.messages++;
    this.first ??= this.shown(text);
    if (text.trim() === this.part.endMark) return [{ kind: 'end' }];
    const message = this.parse(text);
    const found: Found[] = [];
    for (const rule of this.part.read ?? []) if (fits(rule, message)) this.apply(rule, message, found);
    if (found.length > 0) this.fitted++;
    return found;
  }

  /** The answer is over, and nothing in it was what was wanted: the card does not fit the engine. */
  nothing(wanted: string): EngineFault {
    const { name, first, messages, fitted } = this;
    if (first === null)
      return new EngineFault('engine-garbled', `${name} ended its answer without a message`);
    if (this.spoken && fitted > 0 && !this.spoken.found)
      return new EngineFault(
        'engine-garbled',
        `${name}: its answer has no text at ${this.part.spoken}, where "receive.spoken" looks; the first message was: ${first}`,
      );
    const what =
      fitted === 0 ? `none of ${messages} messages fits a rule of its card` : `its answer holds no ${wanted}`;
    const looksLikeCall = wanted === 'words' && /"arguments"|"function|"tool/.test(first);
    const hint = looksLikeCall ? '. It looks like a call of a function: a rule "call:" reads it' : '';
    return new EngineFault('engine-garbled', `${name}: ${what}; the first was: ${first}${hint}`);
  }

  /** Of what an engine sent so much as may be shown: without its key, and cut. */
  private shown(value: unknown): string {
    const text = typeof value === 'string' ? value : JSON.stringify(value);
    return this.hide(text.slice(0, MOST_LOOKED_AT)).slice(0, SHOWN);
  }

  private parse(text: string): unknown {
    try {
      return JSON.parse(text);
    } catch {
      throw new EngineFault('engine-garbled', `${this.name} sent what is not JSON: ${this.shown(text)}`);
    }
  }

  private apply(rule: ReadRule, message: unknown, found: Found[]): void {
    if (rule.error) this.refuse(rule.error, message);
    if (rule.partial) found.push(...this.heard('partial', rule.partial, message));
    if (rule.final) found.push(...this.heard('final', rule.final, message));
    if (rule.piece !== undefined) {
      const text = firstAt(message, rule.piece);
      if (typeof text === 'string' && text !== '') this.wrote(text, found);
    }
    if (rule.call && this.calls.take(rule.call, message)) found.push({ kind: 'call' });
    if (rule.usage) found.push(...usageIn(rule.usage, message));
    if (rule.words)
      found.push({
        kind: 'words',
        words: this.words(rule.words, message).map(({ word, toMs }) => ({ word, endMs: toMs })),
      });
    if (rule.sound !== undefined) {
      const sound = at(message, rule.sound);
      if (typeof sound === 'string') found.push({ kind: 'sound', bytes: Buffer.from(sound, 'base64') });
    }
    if (rule.closes) found.push({ kind: 'closes', how: rule.closes });
    if (rule.end) found.push({ kind: 'end' });
  }

  /** @throws EngineFault where the message tells an error */
  private refuse(error: NonNullable<ReadRule['error']>, message: unknown): void {
    const why = firstAt(message, error.message);
    const code = error.code === undefined ? undefined : at(message, error.code);
    if (why === undefined && code === undefined) return;
    const told = [code, why].filter(Boolean).map((one) => this.shown(one));
    throw new EngineFault('engine-refused', `${this.name}: ${told.join(', ')}`);
  }

  private wrote(text: string, found: Found[]): void {
    found.push({ kind: 'piece', text: this.spoken ? this.spoken.read(text) : text });
  }

  private heard(
    kind: 'partial' | 'final',
    { text, words, alternatives }: HeardText,
    message: unknown,
  ): Found[] {
    const said = firstAt(message, text);
    if (typeof said !== 'string') return [];
    const others = alternatives === undefined ? [] : at(message, alternatives);
    const written = (one: HeardWord): HeardWord[] => {
      const word = plainWord(one.word);
      if (word === '') return [];
      return [{ ...one, word, ...(this.finished ? { written: one.word } : {}) }];
    };
    const listed = words ? this.words(words, message).flatMap(written) : [];
    return [
      {
        kind,
        words: listed.length > 0 ? listed : spread(said).flatMap(written),
        alternatives: Array.isArray(others) ? others.filter((one) => typeof one === 'string') : [],
      },
    ];
  }

  private words({ list, word, from, to, confidence, unit }: WordList, message: unknown): HeardWord[] {
    const listed = at(message, list);
    if (!Array.isArray(listed)) return [];
    const share = unit === 's' ? 1000 : 1;
    return listed.flatMap((one: unknown) => {
      const text = at(one, word);
      if (typeof text !== 'string' || text === '') return [];
      const toMs = numberOr(at(one, to), 0) * share;
      const fromMs = from === undefined ? toMs : numberOr(at(one, from), 0) * share;
      const sure = confidence === undefined ? null : numberOr(at(one, confidence), null);
      return [{ word: text, fromMs, toMs, ...(sure === null ? {} : { confidence: sure }) }];
    });
  }
}

/** Is the rule for this message? */
export function fits({ when, has }: Pick<ReadRule, 'when' | 'has'>, message: unknown): boolean {
  if (has !== undefined && at(message, has) === undefined) return false;
  for (const pointer in when) if (at(message, pointer) !== when[pointer]) return false;
  return true;
}

function numberOr<T>(value: unknown, other: T): number | T {
  return typeof value === 'number' && Number.isFinite(value) ? value : other;
}

/** Words without times; whoever knows how long the sound was spreads them over it. */
function spread(text: string): HeardWord[] {
  return text
    .split(/\s+/)
    .filter(Boolean)
    .map((word) => ({ word, fromMs: -1, toMs: -1 }));
}

/**
 * As a recogniser hears it: no capitals, no marks; a written form is made later, or stands beside it where
 * the engine gives one.
 */
function plainWord(text: string): string {
  return text.toLowerCase().replace(/[^\p{L}\p{N}'’-]+/gu, '');
}
