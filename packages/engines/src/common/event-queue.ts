/** A queue that is filled by callbacks and read as an async iterable, by one reader. */

export class EventQueue<T> implements AsyncIterable<T> {
  private waiting: T[] = [];
  /** The next to be read: taking one off the front would move all others. */
  private next = 0;
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

  [Symbol.asyncIterator](): AsyncIterator<T, undefined> {
    const next = () => (this.next < this.waiting.length ? Promise.resolve(this.take()) : this.later());
    return { next };
  }

  private take(): IteratorResult<T, undefined> {
    return { done: false, value: this.waiting[this.next++]! };
  }

  private async later(): Promise<IteratorResult<T, undefined>> {
    while (this.next === this.waiting.length) {
      this.waiting = [];
      this.next = 0;
      if (this.fault) throw this.fault;
      if (this.over) return { done: true, value: undefined };
      await new Promise<void>((resolve) => (this.wake = resolve));
      this.wake = null;
    }
    return this.take();
  }
}
