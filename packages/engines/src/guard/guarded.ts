/**
 * An engine inside its guard: the one place where anything is given to it. It waits no longer than the
 * deadlines say, and brings what the engine gives within bounds. What it throws is always an EngineFault.
 */
import { HOUSE_RATE_HZ, msOfSamples } from '@verbalon/core';
import type { AnyEngine, Asked, LlmEngine, SttEngine, TtsEngine } from '../common/contract.js';
import { EventQueue } from '../common/event-queue.js';
import { soundWithin, thoughtWithin } from './door.js';
import { Guard, type GuardOptions } from './guard.js';
import { guardedHearing } from './hearing.js';

/** The engine inside its guard. */
export function guarded<E extends AnyEngine>(engine: E, options: GuardOptions = {}): E & { guard: Guard } {
  const reached = options.reached ?? { name: engine.name, where: engine.where, hosts: [] };
  const guard = new Guard(engine.name, { ...options, reached });
  const own =
    engine.role === 'stt'
      ? { open: guardedHearing(engine as SttEngine, guard) }
      : engine.role === 'llm'
        ? { think: guardedThinking(engine as LlmEngine, guard) }
        : { speak: guardedSpeaking(engine as TtsEngine, guard) };
  return new Proxy(engine, {
    get(target, key) {
      if (key === 'guard') return guard;
      if (Object.hasOwn(own, key)) return own[key as keyof typeof own];
      const value: unknown = Reflect.get(target, key, target);
      return typeof value === 'function' ? (value as (...all: unknown[]) => unknown).bind(target) : value;
    },
  }) as E & { guard: Guard };
}

function guardedThinking(engine: LlmEngine, guard: Guard): LlmEngine['think'] {
  return (request) => {
    const answers = (signal: AbortSignal) => engine.think({ ...request, signal });
    return timed(guard, answers, request, {
      what: 'piece',
      within: thoughtWithin,
      counts: ({ kind }) => kind === 'piece',
      late: guard.secondAfterMs === null ? null : { afterMs: guard.secondAfterMs, event: { kind: 'late' } },
    });
  };
}

function guardedSpeaking(engine: TtsEngine, guard: Guard): TtsEngine['speak'] {
  return (request) => {
    const sounds = (signal: AbortSignal) => engine.speak({ ...request, signal });
    return timed(guard, sounds, request, {
      what: 'sound',
      within: soundWithin,
      counts: () => true,
      soundMs: ({ samples }) => msOfSamples(samples.length, HOUSE_RATE_HZ),
    });
  };
}

/**
 * One timer for many pieces: when it rings it looks when the last one came, and waits for the rest of the
 * time.
 */
class Deadline {
  private timer: NodeJS.Timeout | undefined;
  private limitMs = 0;
  private fromMs = 0;

  constructor(
    private readonly guard: Guard,
    private readonly missed: (limitMs: number) => void,
  ) {}

  begin(limitMs: number): void {
    this.stop();
    this.limitMs = limitMs;
    this.fromMs = this.guard.now;
    this.look();
  }

  /** What was waited for has come; the next is waited for. @returns how long it took, in ms */
  met(): number {
    const tookMs = this.guard.now - this.fromMs;
    this.fromMs += tookMs;
    return tookMs;
  }

  stop(): void {
    clearTimeout(this.timer);
  }

  private look(): void {
    const leftMs = this.limitMs - (this.guard.now - this.fromMs);
    if (leftMs <= 0) this.missed(this.limitMs);
    else this.timer = setTimeout(() => this.look(), leftMs);
  }
}

/** What is given, and which of it is an answer. */
interface Given<T> {
  what: string;
  /** Brings an event within bounds. */
  within: (event: T) => T;
  counts: (event: T) => boolean;
  /** Of sound: how long it lasts. It must not come slower than it is heard. */
  soundMs?: (event: T) => number;
  /** Given once when the first answer takes longer than this. */
  late?: { afterMs: number; event: T } | null;
}

/**
 * What the engine gives, each in time. It is read as fast as it gives: the time that whoever asked takes is
 * not the engine's.
 */
function timed<T>(
  guard: Guard,
  ask: (signal: AbortSignal) => AsyncIterable<T>,
  { signal, alone, stay }: Asked,
  { what, within, counts, soundMs, late: beside }: Given<T>,
): AsyncIterable<T> {
  const queue = new EventQueue<T>();
  const abort = new AbortController();
  const { firstMs, betweenMs } = guard.deadlines(alone);
  let leave = (): void => undefined;
  let answered = 0;
  /** Since the first sound, and how much of it there is. */
  let sinceMs = 0;
  let givenMs = 0;
  let late: NodeJS.Timeout | undefined;
  const deadline = new Deadline(guard, (limitMs) =>
    fail(guard.late(answered === 0 ? `first ${what}` : `further ${what}`, limitMs)),
  );
  const over = (): void => {
    signal.removeEventListener('abort', over);
    clearTimeout(late);
    deadline.stop();
    leave();
    abort.abort();
    queue.end();
  };
  const fail = (error: unknown): void => {
    if (!signal.aborted) queue.fail(guard.failed(error));
    over();
  };
  const read = async (): Promise<void> => {
    for await (const event of ask(AbortSignal.any([signal, abort.signal]))) {
      if (abort.signal.aborted) return;
      if (counts(event)) {
        const tookMs = deadline.met();
        if (answered++ > 0) {
          guard.health.answeredNext(tookMs);
          sinceMs += tookMs;
        } else {
          guard.health.answeredFirst(tookMs);
          clearTimeout(late);
          deadline.begin(betweenMs);
        }
      }
      queue.push(within(event));
      givenMs += soundMs?.(event) ?? 0;
      if (soundMs && sinceMs - givenMs > betweenMs) throw guard.late('sound as fast as it is heard', sinceMs);
    }
    if (!signal.aborted && !abort.signal.aborted) guard.health.succeeded();
  };
  const begin = (): void => {
    leave = guard.enter(stay);
    signal.addEventListener('abort', over, { once: true });
    if (beside) late = setTimeout(() => queue.push(beside.event), beside.afterMs);
    deadline.begin(firstMs);
    void read().then(over, fail);
  };
  return {
    [Symbol.asyncIterator]() {
      begin();
      const events = queue[Symbol.asyncIterator]();
      const done = (): Promise<IteratorResult<T, undefined>> => {
        over();
        return Promise.resolve({ done: true, value: undefined });
      };
      return { next: () => events.next(), return: done };
    },
  };
}
