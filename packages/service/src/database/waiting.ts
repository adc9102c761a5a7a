/**
 * Rows that wait to be written, in bounded memory: sound gives way before the journal, and what gave way is
 * marked as a gap.
 */
import { HOUSE_RATE_HZ, msOfSamples } from '@verbalon/core';
import type * as tables from './schema.js';
import { MOST_ROW_SAMPLES } from './talk-sound.js';

type Insert<T extends { $inferInsert: unknown }> = T['$inferInsert'];

/** A value as the JSON that it is kept as: written once, however often its row is tried. */
export class Json {
  constructor(readonly text: string) {}
}

/** A stretch of one lane's sound, in the parts in which it came. */
export interface SoundRow extends Omit<Insert<typeof tables.audio>, 'row' | 'samples'> {
  parts: Buffer[];
  bytes: number;
}

/** In the order in which they are written. */
export const KEPT_TABLES = ['conversations', 'turns', 'journal', 'audio', 'uses', 'gaps'] as const;
export type KeptTable = (typeof KEPT_TABLES)[number];

export interface Rows {
  conversations: Insert<typeof tables.conversations>[];
  turns: (Omit<Insert<typeof tables.turns>, 'report'> & { report: Json })[];
  journal: (Omit<Insert<typeof tables.journal>, 'body'> & { body: Json })[];
  audio: SoundRow[];
  uses: Insert<typeof tables.uses>[];
  gaps: Insert<typeof tables.gaps>[];
  endings: { id: string; endedAt: Date; ending: string }[];
}
type RowsOf = keyof Rows;

/** What may wait at once; see docs/limits.md. */
const MOST_ROWS: Record<RowsOf, number> = {
  conversations: 20_000,
  turns: 50_000,
  journal: 200_000,
  audio: 200_000,
  uses: 100_000,
  gaps: 20_000,
  endings: 20_000,
};
const MOST_BYTES: Partial<Record<RowsOf, number>> = { journal: 96 * 1024 * 1024, audio: 64 * 1024 * 1024 };
const MOST_ROW_BYTES = 2 * MOST_ROW_SAMPLES;
/** What goes into one transaction: it must be done well within the time that a query is given. */
const MOST_BATCH_ROWS = 5_000;
const MOST_BATCH_BYTES = 8 * 1024 * 1024;

export const noRows = (): Rows => ({
  conversations: [],
  turns: [],
  journal: [],
  audio: [],
  uses: [],
  gaps: [],
  endings: [],
});

export const countOf = (rows: Rows): number =>
  Object.values(rows).reduce((sum: number, some: unknown[]) => sum + some.length, 0);

/** About how much memory a row takes. */
function bytesOf(name: RowsOf, row: object): number {
  if (name === 'audio') return (row as SoundRow).bytes;
  return name === 'journal' ? (row as Rows['journal'][number]).body.text.length : 0;
}

export class Waiting {
  private rows = noRows();
  private readonly bytes: Partial<Record<RowsOf, number>> = {};
  /** The last row of each lane of sound. */
  private readonly lanes = new Map<string, SoundRow>();

  get count(): number {
    return countOf(this.rows);
  }

  add<N extends RowsOf>(name: N, row: Rows[N][number]): void {
    (this.rows[name] as Rows[N][number][]).push(row);
    this.bytes[name] = this.bytesIn(name) + bytesOf(name, row);
    const mostBytes = MOST_BYTES[name] ?? Number.POSITIVE_INFINITY;
    while (this.rows[name].length > MOST_ROWS[name] || this.bytesIn(name) > mostBytes) this.giveWay(name);
  }

  /** Sound that follows on the last row of its lane goes into that row. */
  sound({ conversation, side, firstSample }: Omit<SoundRow, 'parts' | 'bytes'>, samples: Buffer): void {
    const key = `${conversation} ${side}`;
    const last = this.lanes.get(key);
    const goesOn = last !== undefined && last.firstSample + last.bytes / 2 === firstSample;
    if (goesOn && last.bytes + samples.byteLength <= MOST_ROW_BYTES) {
      last.parts.push(samples);
      last.bytes += samples.byteLength;
      this.bytes.audio = this.bytesIn('audio') + samples.byteLength;
      return;
    }
    const row = { conversation, side, firstSample, parts: [samples], bytes: samples.byteLength };
    this.lanes.set(key, row);
    this.add('audio', row);
  }

  private bytesIn(name: RowsOf): number {
    return this.bytes[name] ?? 0;
  }

  /** Marks what is missing of a conversation. */
  gap(conversation: string, what: string, fromMs: number, toMs: number): void {
    const last = this.rows.gaps.at(-1);
    const goesOn = last?.conversation === conversation && last.what === what && fromMs - last.toMs < 1_000;
    if (goesOn) last.toMs = Math.max(last.toMs, toMs);
    else this.add('gaps', { conversation, what, fromMs, toMs });
  }

  /** The oldest rows, as many as one transaction takes. */
  take(): Rows {
    const taken = noRows();
    this.lanes.clear();
    let rowsLeft = MOST_BATCH_ROWS;
    let bytesLeft = MOST_BATCH_BYTES;
    for (const name of Object.keys(taken) as RowsOf[]) {
      const from: object[] = this.rows[name];
      let count = 0;
      for (; count < from.length && rowsLeft > 0 && bytesLeft > 0; count++, rowsLeft--) {
        const bytes = bytesOf(name, from[count]!);
        bytesLeft -= bytes;
        this.bytes[name] = this.bytesIn(name) - bytes;
      }
      taken[name] = from.splice(0, count) as never;
    }
    return taken;
  }

  private giveWay(name: RowsOf): void {
    const lost = this.rows[name].shift();
    if (!lost) return;
    this.lanes.clear();
    this.bytes[name] = this.bytesIn(name) - bytesOf(name, lost);
    const stretch = stretchOf(name, lost);
    if (stretch) this.gap(stretch.conversation, stretch.what, stretch.fromMs, stretch.toMs);
  }
}

/** Which stretch of a conversation is missing without this row; null where that cannot be said. */
export function stretchOf(
  name: RowsOf,
  row: object,
): { conversation: string; what: string; fromMs: number; toMs: number } | null {
  if (name === 'audio') {
    const { conversation, side, firstSample, bytes } = row as SoundRow;
    const fromMs = msOfSamples(firstSample, HOUSE_RATE_HZ);
    const toMs = fromMs + msOfSamples(bytes / 2, HOUSE_RATE_HZ);
    return { conversation, what: `${side} sound`, fromMs, toMs };
  }
  if (name === 'journal') {
    const { conversation, atMs } = row as Rows['journal'][number];
    return { conversation, what: 'journal', fromMs: atMs, toMs: atMs };
  }
  if (name === 'turns' || name === 'uses')
    return { conversation: (row as { conversation: string }).conversation, what: name, fromMs: 0, toMs: 0 };
  return null;
}
