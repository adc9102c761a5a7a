/** The stored sound of a talk, read in stretches: no more of it is in memory than is being sent. */
import { and, asc, desc, eq, gte, lt, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import { HOUSE_RATE_HZ, interleaved, pcm16FromBytes, WAV_HEAD_BYTES, wavHead } from '@verbalon/core';
import { audio } from './schema.js';

/** The longest conversation whose sound is put into one file, in samples: an hour is 230 MB. */
const MOST_SAMPLES = 3_600 * HOUSE_RATE_HZ;
/** So much is read at once, in samples. */
const STRETCH_SAMPLES = 20 * HOUSE_RATE_HZ;
/** No row holds more, in samples. */
export const MOST_ROW_SAMPLES = 5 * HOUSE_RATE_HZ;
/** … but rows of earlier versions may. */
const MOST_OLD_ROW_SAMPLES = 60 * HOUSE_RATE_HZ;
/** Of the last rows one is the one that ends last. */
const LAST_ROWS = 50;
const FRAME_BYTES = 4;

type Side = 'caller' | 'assistant';

export class TalkSound {
  constructor(
    private readonly db: NodePgDatabase,
    private readonly conversation: string,
  ) {}

  /** Its length on the caller's axis, in samples at HOUSE_RATE_HZ. */
  async length(): Promise<number> {
    const last = await this.db
      .select({
        first: audio.firstSample,
        bytes: sql<number>`octet_length(${audio.samples})`.mapWith(Number),
      })
      .from(audio)
      .where(eq(audio.conversation, this.conversation))
      .orderBy(desc(audio.firstSample))
      .limit(LAST_ROWS);
    const end = last.reduce((most, { first, bytes }) => Math.max(most, first + bytes / 2), 0);
    return Math.min(MOST_SAMPLES, end);
  }

  /** One side's samples from `from` up to `to`; silence where nothing is stored. */
  async lane(side: Side, from: number, to: number): Promise<Int16Array> {
    return (await this.lanes(from, to, side))[side];
  }

  /**
   * The bytes of a WAV file with both sides, the caller left, from `start` up to `end`, in bytes of the file.
   */
  async *wav(length: number, start: number, end: number): AsyncIterable<Buffer> {
    if (start < WAV_HEAD_BYTES)
      yield Buffer.from(wavHead(2, HOUSE_RATE_HZ, length)).subarray(start, Math.min(end, WAV_HEAD_BYTES));
    const fromByte = Math.max(0, start - WAV_HEAD_BYTES);
    const toByte = end - WAV_HEAD_BYTES;
    for (let at = fromByte; at < toByte;) {
      const from = Math.floor(at / FRAME_BYTES);
      const to = Math.min(Math.ceil(toByte / FRAME_BYTES), from + STRETCH_SAMPLES);
      const { caller, assistant } = await this.lanes(from, to);
      const bytes = interleaved([caller, assistant]);
      yield Buffer.from(bytes.buffer).subarray(at - from * FRAME_BYTES, toByte - from * FRAME_BYTES);
      at = to * FRAME_BYTES;
    }
  }

  static wavBytes(length: number): number {
    return WAV_HEAD_BYTES + length * FRAME_BYTES;
  }

  private async lanes(from: number, to: number, side?: Side): Promise<Record<Side, Int16Array>> {
    const rows = await this.db
      .select({ side: audio.side, firstSample: audio.firstSample, samples: audio.samples })
      .from(audio)
      .where(
        and(
          eq(audio.conversation, this.conversation),
          gte(audio.firstSample, from - MOST_OLD_ROW_SAMPLES),
          lt(audio.firstSample, to),
          sql`${audio.firstSample} + octet_length(${audio.samples}) / 2 > ${from}`,
          ...(side === undefined ? [] : [eq(audio.side, side)]),
        ),
      )
      .orderBy(asc(audio.row));
    const lanes = { caller: new Int16Array(to - from), assistant: new Int16Array(to - from) };
    for (const row of rows) {
      const samples = pcm16FromBytes(row.samples);
      const skipped = Math.max(0, from - row.firstSample);
      const at = Math.max(0, row.firstSample - from);
      lanes[row.side].set(samples.subarray(skipped, skipped + (to - from) - at), at);
    }
    return lanes;
  }
}
