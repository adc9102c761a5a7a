/**
 * Whoever watches a talk without taking part: told its words and how it stands, and what is really heard;
 * never its sound, or what is private.
 */
import type { ServiceMessage, WatchedEvent } from '@verbalon/protocol';

/** What of a line's messages is for everybody in the room. */
const SHOWN = new Set<ServiceMessage['kind']>([
  'state',
  'voice',
  'partial',
  'final',
  'speech',
  'hush',
  'fresh',
  'person',
  'farewell',
]);
/** Whoever comes later is told so much of what was said before. */
const MOST_KEPT = 24;
const MOST_WATCHERS = 50;

export class Watching {
  private kept: WatchedEvent[] = [];
  private phase: WatchedEvent | null = null;
  private readonly watchers = new Set<(event: WatchedEvent) => void>();

  tell(message: ServiceMessage): void {
    if (SHOWN.has(message.kind)) this.pass(message as WatchedEvent);
  }

  /** So much of a speech has left the line's loudspeaker. @param levelDb of its last part, in dBFS */
  heard(speech: number, playedMs: number, atMs: number, levelDb: number): void {
    this.pass({ kind: 'heard', speech, playedMs, atMs, levelDb: Math.round(levelDb) });
  }

  /** @returns how to leave; null where too many watch already */
  join(watcher: (event: WatchedEvent) => void): (() => void) | null {
    if (this.watchers.size >= MOST_WATCHERS) return null;
    for (const event of this.kept) watcher(event);
    if (this.phase) watcher(this.phase);
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  }

  private pass(event: WatchedEvent): void {
    if (event.kind === 'state') this.phase = event;
    if (event.kind === 'voice' || event.kind === 'final' || event.kind === 'speech')
      this.kept = [...this.kept, event].slice(-MOST_KEPT);
    if (event.kind === 'fresh') this.kept = [];
    for (const watcher of this.watchers) watcher(event);
  }
}
