/**
 * Writes that nobody waits for. Whoever reads waits for them, so that what was done stands in what is read
 * next.
 */
export class UnderWay {
  private readonly writes = new Set<Promise<unknown>>();

  /** @returns the same write, which may fail */
  follow<T>(write: Promise<T>): Promise<T> {
    this.writes.add(write);
    const over = () => void this.writes.delete(write);
    write.then(over, over);
    return write;
  }

  /** Resolves when those that have begun are written, or have failed. */
  async over(): Promise<void> {
    await Promise.allSettled([...this.writes]);
  }
}
