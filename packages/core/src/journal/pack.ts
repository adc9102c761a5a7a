/**
 * A journal as it is kept: of what grows with every entry (provisional words, what was told of them, the
 * messages to the model) only what has changed is written, so that a talk's journal grows with its length and
 * not with the square of it. Packing and unpacking go entry by entry, in order.
 */
import type { Happening } from '../conductor/contract/happenings.js';
import type { Order, Told } from '../conductor/contract/orders.js';
import type { Entry } from '../thinking/history.js';
import type { HeardWord } from '../vocabulary/words.js';

export type JournalSide = 'happening' | 'order';

/**
 * What a packed entry says beside what is new: so many words, messages or characters are those of the entry
 * before.
 */
interface Kept {
  kept?: number;
}

type Partial = Extract<Happening, { kind: 'partial' }>;
type Thinking = Extract<Order, { kind: 'think' }>;
type Telling = Extract<Order, { kind: 'tell' }>;
type ToldPartial = Extract<Told, { kind: 'partial' }>;

/** What the last entries of each kind were. */
class Before {
  recognition = -1;
  words: readonly HeardWord[] = [];
  messages: readonly Entry[] = [];
  settled = '';
}

export class JournalPacker {
  private readonly before = new Before();

  /** What is to be kept of the next entry. */
  pack(side: JournalSide, body: Happening | Order): unknown {
    const { before } = this;
    if (side === 'happening' && body.kind === 'partial') {
      const last = body.recognition === before.recognition ? before.words : [];
      [before.recognition, before.words] = [body.recognition, body.words];
      const kept = alike(last, body.words, sameWord);
      return kept === 0 ? body : { ...body, kept, words: body.words.slice(kept) };
    }
    if (side === 'order' && body.kind === 'think') {
      const kept = alike(before.messages, body.messages, sameEntry);
      before.messages = body.messages;
      return kept === 0 ? body : { ...body, kept, messages: body.messages.slice(kept) };
    }
    if (side === 'order' && body.kind === 'tell' && body.message.kind === 'partial') {
      const { settled } = body.message;
      const kept = alike(before.settled, settled, (a, b) => a === b);
      before.settled = settled;
      return kept === 0
        ? body
        : { ...body, kept, message: { ...body.message, settled: settled.slice(kept) } };
    }
    return body;
  }
}

export class JournalUnpacker {
  private readonly before = new Before();

  /** The next entry as it was. Entries that were never packed are given back as they are. */
  unpack(side: JournalSide, packed: unknown): unknown {
    const { before } = this;
    const { kept = 0, ...body } = packed as (Happening | Order) & Kept;
    if (side === 'happening' && body.kind === 'partial') {
      const last = body.recognition === before.recognition ? before.words : [];
      const whole: Partial = { ...body, words: [...last.slice(0, kept), ...body.words] };
      [before.recognition, before.words] = [whole.recognition, whole.words];
      return whole;
    }
    if (side === 'order' && body.kind === 'think') {
      const whole: Thinking = { ...body, messages: [...before.messages.slice(0, kept), ...body.messages] };
      before.messages = whole.messages;
      return whole;
    }
    if (side === 'order' && body.kind === 'tell' && body.message.kind === 'partial') {
      const message: ToldPartial = {
        ...body.message,
        settled: before.settled.slice(0, kept) + body.message.settled,
      };
      before.settled = message.settled;
      return { ...body, message } satisfies Telling;
    }
    return packed;
  }
}

/** So many at the beginning are the same. */
function alike<T>(a: ArrayLike<T>, b: ArrayLike<T>, same: (a: T, b: T) => boolean): number {
  const most = Math.min(a.length, b.length);
  let count = 0;
  while (count < most && same(a[count]!, b[count]!)) count++;
  return count;
}

function sameWord(a: HeardWord, b: HeardWord): boolean {
  return (
    a.word === b.word &&
    a.fromMs === b.fromMs &&
    a.toMs === b.toMs &&
    a.confidence === b.confidence &&
    a.spoken === b.spoken
  );
}

function sameEntry(a: Entry, b: Entry): boolean {
  if (a.role === 'assistant' && b.role === 'assistant' && a.calls !== b.calls) return false;
  return a.role === b.role && a.text === b.text && (a.role !== 'result' || a.call === (b as typeof a).call);
}
