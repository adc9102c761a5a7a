/** From the caller's first sound over the assistant to silence, in the saved sound. */
import { callWithRecording } from '@verbalon/client/node';
import { HOUSE_RATE_HZ, seeded } from '@verbalon/core';
import { audible, benchService, recordingOf, sayings, spread, together } from './common/stage.js';

const INTERRUPTIONS = 24;
const SEED = 21;
const LEAD_MS = 800;
/**
 * The caller speaks over the answer this long after the question, in ms: at least, and up to so much later.
 */
const LEAST_AFTER_MS = 2_500;
const SPREAD_MS = 3_000;
/** After a hush the line plays no longer than this; the next answer comes later. */
const FLUSHED_MS = 250;

export async function interruptionBench(): Promise<object> {
  const service = await benchService(['--fixed-words', '40']);
  const random = seeded(SEED);
  const all = sayings(['miller-asks', 'baker-interrupts']);
  const question = all[0]!;
  const cases = Array.from({ length: INTERRUPTIONS }, (_, i) => ({
    over: all[i % all.length]!,
    afterMs: LEAST_AFTER_MS + random() * SPREAD_MS,
  }));
  const results = await together(cases, 2, async ({ over, afterMs }) => {
    const length = (samples: Int16Array) => (samples.length * 1000) / HOUSE_RATE_HZ;
    const atMs = LEAD_MS + length(question.samples) + afterMs;
    const parts = [
      { atMs: LEAD_MS, samples: question.samples },
      { atMs, samples: over.samples },
    ];
    const stop = new AbortController();
    const call = await callWithRecording({
      address: service.address,
      recording: recordingOf(parts, atMs + length(over.samples)),
      signal: stop.signal,
      // The second answer is not waited for.
      onMessage: ({ kind, atMs: at }) =>
        kind === 'hush' && at > atMs && setTimeout(() => stop.abort(), FLUSHED_MS),
    });
    const told = (kind: string) => call.messages.find((one) => one.kind === kind && one.atMs > atMs)?.atMs;
    const during = audible(call.assistant, call.rateHz, atMs);
    return {
      silentMs: during ? during.toMs - atMs : 0,
      duckMs: (told('duck') ?? Number.NaN) - atMs,
      hushed: told('hush') !== undefined,
    };
  });
  await service.end();
  return {
    toSilenceMs: spread(results.map(({ silentMs }) => silentMs)),
    toDuckMs: spread(results.map(({ duckMs }) => duckMs)),
    missed: results.filter(({ hushed }) => !hushed).length,
    seed: SEED,
  };
}
