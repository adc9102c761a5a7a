/** Reads a journal as it was kept, by this version or an earlier one; what comes out is always as this version writes it. */
import type { Cause } from '../conductor/contract/causes.js';
import { JournalUnpacker, type JournalSide } from './pack.js';

/**
 * 1: reasons were sentences, and manners had other names. 2: causes are data. A journal of an earlier version can be shown, but not
 * replayed: what its happenings were called has changed.
 */
export const JOURNAL_VERSION = 2;

export class JournalReader {
  private readonly unpacker = new JournalUnpacker();

  constructor(private readonly version: number) {}

  /** The next entry, in order. */
  read(side: JournalSide, packed: unknown): unknown {
    const body = this.unpacker.unpack(side, packed);
    return this.version === JOURNAL_VERSION || side === 'happening' ? body : withCauses(body as OldOrder);
  }
}

interface OldOrder {
  reason: string;
  message?: {
    kind: string;
    why?: string;
    report?: { wait: { reason: string } | null; interrupted: string | null; reliefs?: { why: string }[] };
  };
}

const earlier = (words: string): Cause => ({ kind: 'earlier', words });

/** An order of version 1: its sentences become causes that are nothing but sentences. */
function withCauses({ reason, message, ...order }: OldOrder): unknown {
  const cause = earlier(reason);
  if (!message) return { ...order, cause };
  const { why, report, ...told } = message;
  if (report) return { ...order, cause, message: { ...told, report: reportWithCauses(report) } };
  return { ...order, cause, message: why === undefined ? told : { ...told, cause: earlier(why) } };
}

function reportWithCauses({
  wait,
  interrupted,
  reliefs = [],
  ...report
}: NonNullable<NonNullable<OldOrder['message']>['report']>) {
  const { reason, ...waited } = wait ?? { reason: '' };
  return {
    ...report,
    wait: wait && { ...waited, cause: earlier(reason) },
    interrupted: interrupted === null ? null : earlier(interrupted),
    reliefs: reliefs.map(({ why, ...relief }) => ({ ...relief, cause: earlier(why) })),
  };
}
