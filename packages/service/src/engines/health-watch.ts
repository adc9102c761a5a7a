/** Looks at how engines are, and tells whoever listens when one is to be left alone, or to be used again. */
import type { Logger } from 'pino';
import type { Guarded } from './opening.js';

/** Between two looks, in ms. */
const LOOK_EVERY_MS = 500;

type Listener = (engine: string, resting: string | null) => void;

export class HealthWatch {
  private readonly listeners = new Set<Listener>();
  private readonly known = new Map<string, string | null>();
  private readonly timer: NodeJS.Timeout;

  /** @param engines those that there are, at every look */
  constructor(
    private readonly engines: () => Iterable<[string, Guarded]>,
    private readonly log: Logger,
  ) {
    this.timer = setInterval(() => this.look(), LOOK_EVERY_MS);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  /** Whenever an engine is to be left alone, or to be used again. @returns what ends the listening */
  listen(listener: Listener): () => void {
    for (const [name, resting] of this.known) if (resting !== null) listener(name, resting);
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Tells what has changed since the last look. */
  look(): void {
    for (const [name, engine] of this.engines()) {
      const readiness = engine.readiness();
      const resting = engine.guard.resting() ?? (readiness.state === 'down' ? readiness.why : null);
      if (resting === (this.known.get(name) ?? null)) continue;
      this.known.set(name, resting);
      this.log[resting === null ? 'info' : 'warn'](
        { engine: name, resting },
        resting === null ? 'an engine is used again' : 'an engine is left alone',
      );
      for (const listener of this.listeners) listener(name, resting);
    }
  }
}
