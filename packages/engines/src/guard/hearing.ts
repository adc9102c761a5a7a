/** The guard around a recogniser: once no more sound comes, its final must come in time. */
import type { EngineFault } from '../common/contract.js';
import { type SttEngine, type SttEvent, type SttStream } from '../common/contract.js';
import { HOUSE_RATE_HZ, msOfSamples } from '@verbalon/core';
import { EventQueue } from '../common/event-queue.js';
import { heardWithin } from './door.js';
import type { Guard } from './guard.js';

/** Sound that is less than this ahead of its own pace came live, in ms. */
const LIVE_MS = 400;
/**
 * The final of a recording is waited for at least so long, in ms: a machine that is busy with talks is slow,
 * not broken.
 */
const RECORDED_MS = 60_000;

export function guardedHearing(engine: SttEngine, guard: Guard): SttEngine['open'] {
  return (request) => {
    const { signal } = request;
    const events = new EventQueue<SttEvent>();
    const abort = new AbortController();
    let leave: () => void;
    try {
      leave = guard.enter(request.stay);
    } catch (fault) {
      events.fail(fault as EngineFault);
      return { push: () => undefined, finish: () => undefined, events };
    }
    const stream = engine.open({ ...request, signal: AbortSignal.any([signal, abort.signal]) });
    let timer: NodeJS.Timeout | undefined;
    let finishedMs: number | null = null;
    const over = () => {
      clearTimeout(timer);
      leave();
      abort.abort();
    };
    const fail = (error: unknown) => {
      if (!signal.aborted) events.fail(guard.failed(error));
      over();
      events.end();
    };
    void (async () => {
      try {
        for await (const event of stream.events) {
          if (event.kind === 'final') {
            // One that comes unasked tells nothing about how fast it is.
            if (finishedMs !== null) guard.health.answeredFirst(guard.now - finishedMs);
            guard.health.succeeded();
          }
          events.push(heardWithin(event));
        }
        over();
        events.end();
      } catch (error) {
        fail(error);
      }
    })();
    const openedMs = guard.now;
    return guardedStream(stream, events, (soundMs) => {
      // Sound that came faster than it was said may be heard at the pace of speech.
      const aheadMs = Math.max(0, openedMs + soundMs - guard.now);
      if (aheadMs < LIVE_MS) finishedMs = guard.now;
      const { recorded = false, alone = recorded } = request;
      const firstMs = Math.max(recorded ? RECORDED_MS : 0, guard.deadlines(alone).firstMs);
      timer = setTimeout(() => fail(guard.late('final words', aheadMs + firstMs)), aheadMs + firstMs);
    });
  };
}

function guardedStream(
  stream: SttStream,
  events: EventQueue<SttEvent>,
  finished: (soundMs: number) => void,
): SttStream {
  let count = 0;
  return {
    push: (samples) => {
      count += samples.length;
      stream.push(samples);
    },
    finish: () => {
      finished(msOfSamples(count, HOUSE_RATE_HZ));
      stream.finish();
    },
    events,
  };
}
