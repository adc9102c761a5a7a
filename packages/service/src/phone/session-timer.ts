/**
 * Session timers (RFC 4028): a call whose other side does not say in time that it is still there is over.
 * They refresh, we only watch.
 */

/** Shorter ones are not agreed to, in s (RFC 4028, section 5). */
export const LEAST_SESSION_S = 90;
const MOST_SESSION_S = 86_400;

interface Headed {
  getHeader: (name: string) => string | undefined;
}

/**
 * How long a session may last without a word, in s, as the other side wants it; null where it knows of no
 * timers.
 */
function wantedBy(message: Headed): number | null {
  const supported = message.getHeader('supported') ?? message.getHeader('k') ?? '';
  const seconds = Number.parseInt(message.getHeader('session-expires') ?? message.getHeader('x') ?? '', 10);
  return supported.includes('timer') && seconds > 0 ? seconds : null;
}

export class SessionTimer {
  private timer: NodeJS.Timeout | null = null;

  constructor(private readonly ranOut: () => void) {}

  /** Something has come that sets it anew. @returns headers of the answer */
  answer(message: Headed): string[] {
    const wanted = wantedBy(message);
    if (wanted === null) return [];
    const seconds = Math.min(MOST_SESSION_S, Math.max(LEAST_SESSION_S, wanted));
    this.stop();
    // A little before, so that the other side does not end it first (RFC 4028, section 10).
    this.timer = setTimeout(this.ranOut, seconds * 1_000 - Math.min(32_000, (seconds * 1_000) / 3));
    this.timer.unref();
    return ['Require: timer', `Session-Expires: ${seconds};refresher=uac`];
  }

  stop(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
  }
}

/** They ask for a shorter session than is agreed to. */
export function isTooShort(message: Headed): boolean {
  return (wantedBy(message) ?? Infinity) < LEAST_SESSION_S;
}
