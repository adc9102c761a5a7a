/** What was opened, to be closed in the opposite order. */
export class Closing {
  private readonly steps: (() => unknown)[] = [];

  /** @returns what was opened */
  opened<T>(what: T, close: (what: T) => unknown): T {
    this.steps.push(() => close(what));
    return what;
  }

  /** Whatever cannot be closed keeps nothing else open. @throws the first thing that went wrong */
  async all(): Promise<void> {
    const faults: unknown[] = [];
    for (let step = this.steps.pop(); step; step = this.steps.pop())
      await Promise.resolve()
        .then(step)
        .catch((fault: unknown) => faults.push(fault));
    if (faults.length > 0) throw faults[0];
  }
}
