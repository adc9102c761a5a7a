/** A queue that is filled by callbacks and read as an async iterable, by one reader. */

export class EventQueue<T> implements AsyncIterable<T> {
  private readonly waiting: T[] = [];
  private wake: (() => void) | null = null;
  private over = false;
  private fault: Error | null = null;

  push(item: T): void {
    if (this.over) return;
    this.waiting.push(item);
    this.wake?.();
  }

  /** What was pushed is still read, then the iteration ends. */
  end(): void {
    this.over = true;
    this.wake?.();
  }

  fail(fault: Error): void {
    this.fault ??= fault;
    this.end();
  }

  async *[Symbol.asyncIterator](): AsyncIterator<T> {
    for (;;) {
      while (this.waiting.length > 0) yield this.waiting.shift()!;
      if (this.fault) throw this.fault;
      if (this.over) return;
      await new Promise<void>((resolve) => (this.wake = resolve));
      this.wake = null;
    }
  }
}
