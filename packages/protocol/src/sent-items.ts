/**
 * What one end of the talk socket has sent, kept for a while: after a lost connection the other end says how
 * many items it has received, and gets the rest. Both ends keep one, so that nothing is lost and nothing
 * comes twice.
 */

/** A lost line may come back within this time, in ms. */
export const RESUME_MS = 10_000;
/** So much is kept, in bytes: 15 s of sound at 48 kHz, and more at the usual rates. */
const MOST_KEPT_BYTES = 1_500_000;

export type Item = string | Uint8Array;

export class SentItems {
  private items: Item[] = [];
  private bytes = 0;
  /** Items ever put in. */
  count = 0;

  put(item: Item): void {
    this.items.push(item);
    this.bytes += item.length;
    this.count++;
    while (this.bytes > MOST_KEPT_BYTES) this.bytes -= this.items.shift()!.length;
  }

  /**
   * All items after the first `received`; null when some of them are not kept any more, or were never sent.
   */
  after(received: number): readonly Item[] | null {
    const first = this.count - this.items.length;
    return received < first || received > this.count ? null : this.items.slice(received - first);
  }
}
