/**
 * The text at one place of JSON that is still being written: what is to be spoken of a structured answer, as
 * it streams.
 */
import { EngineFault } from '../common/contract.js';

const ESCAPED: Record<string, string> = { b: '\b', f: '\f', n: '\n', r: '\r', t: '\t' };
/** Levels of JSON. */
const MOST_DEEP = 64;

type Level = { kind: 'object'; key: string; wantsKey: boolean } | { kind: 'array'; index: number };

/**
 * Reads JSON character by character (RFC 8259), and gives what is in the string that the pointer (RFC 6901)
 * names.
 */
export class SpokenText {
  private readonly levels: Level[] = [];
  private readonly wanted: string;
  private string: { text: string; spoken: boolean; isKey: boolean } | null = null;
  private escape: string | null = null;
  /** The text was found, whole or in part. */
  found = false;

  constructor(
    private readonly name: string,
    pointer: string,
  ) {
    this.wanted = pointer;
  }

  /** @returns what is new of the text. @throws EngineFault `engine-garbled` for what is nested too deep */
  read(piece: string): string {
    let out = '';
    for (const one of piece) out += this.string ? this.inString(one) : this.outside(one);
    return out;
  }

  private inString(one: string): string {
    const string = this.string!;
    if (this.escape !== null) return this.escaped(one);
    if (one === '\\') {
      this.escape = '';
      return '';
    }
    if (one === '"') {
      this.string = null;
      if (string.isKey) (this.levels.at(-1) as Extract<Level, { kind: 'object' }>).key = string.text;
      return '';
    }
    return this.give(one);
  }

  private escaped(one: string): string {
    const escape = `${this.escape}${one}`;
    if (escape.startsWith('u') && escape.length < 5) {
      this.escape = escape;
      return '';
    }
    this.escape = null;
    return this.give(
      escape.startsWith('u')
        ? String.fromCharCode(parseInt(escape.slice(1), 16) || 0xfffd)
        : (ESCAPED[escape] ?? escape),
    );
  }

  private give(text: string): string {
    const string = this.string!;
    if (string.spoken) return text;
    if (string.isKey) string.text += text;
    return '';
  }

  private outside(one: string): string {
    const level = this.levels.at(-1);
    if (one === '"') this.beginString(level);
    else if (one === '{') this.enter({ kind: 'object', key: '', wantsKey: true });
    else if (one === '[') this.enter({ kind: 'array', index: 0 });
    else if (one === '}' || one === ']') this.levels.pop();
    else if (level?.kind === 'array') level.index += Number(one === ',');
    else if (level && (one === ':' || one === ',')) level.wantsKey = one === ',';
    return '';
  }

  private beginString(level: Level | undefined): void {
    const isKey = level?.kind === 'object' && level.wantsKey;
    const spoken = !isKey && this.path === this.wanted;
    this.found ||= spoken;
    this.string = { text: '', spoken, isKey };
  }

  private enter(level: Level): void {
    if (this.levels.length >= MOST_DEEP)
      throw new EngineFault(
        'engine-garbled',
        `${this.name} sent JSON that is nested more than ${MOST_DEEP} deep`,
      );
    this.levels.push(level);
  }

  private get path(): string {
    const step = (level: Level) =>
      level.kind === 'array' ? String(level.index) : level.key.replaceAll('~', '~0').replaceAll('/', '~1');
    return this.levels.map((level) => `/${step(level)}`).join('');
  }
}
