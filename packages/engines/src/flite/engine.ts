/** The local synthesiser: phrases over a pool of hosts, silence trimmed, words timed. */
import { audibleEdges, HOUSE_RATE_HZ, msOfSamples, resample, toFloats, toPcm16 } from '@verbalon/core';
import { EngineFault, type TtsEngine, type TtsEvent, type TtsRequest } from '../common/contract.js';
import { MARGIN_MS, SILENCE_FLOOR_DB } from '../common/silence.js';
import { HostedEngine, type HostedOptions } from '../hosts/hosted-engine.js';
import type { FromTtsHost, ToTtsHost } from './messages.js';

export interface FliteOptions extends HostedOptions {
  /** Names of our own, and what the synthesiser calls them. */
  voices: Readonly<Record<string, string>>;
}

type Said = Extract<FromTtsHost, { kind: 'said' }>;

export class FliteEngine extends HostedEngine<ToTtsHost, FromTtsHost> implements TtsEngine {
  readonly role = 'tts';
  readonly voices: readonly string[];

  constructor(private readonly fliteOptions: FliteOptions) {
    super(fliteOptions, {
      file: new URL('./host.js', import.meta.url),
      args: Object.values(fliteOptions.voices),
      first: () => [],
    });
    this.voices = Object.keys(fliteOptions.voices);
  }

  async *speak({ text, voice, signal }: TtsRequest): AsyncIterable<TtsEvent> {
    const name = voice.name ?? this.voices[0]!;
    if (!this.voices.includes(name)) {
      throw new EngineFault(
        'voice-unknown',
        `${this.name} has no voice "${name}"; it has ${this.voices.join(', ')}`,
      );
    }
    const said = await this.job<Said>(
      (job) => ({
        kind: 'say',
        job,
        text,
        voice: this.fliteOptions.voices[name]!,
        rate: voice.rate ?? 1,
        pitchHz: voice.pitchHz ?? null,
      }),
      signal,
    );
    if (!said || signal.aborted) return;
    yield trimmed(said, voice.volume ?? 1);
  }

  async pronounce(words: readonly string[]): Promise<Record<string, string>> {
    const never = new AbortController().signal;
    const answer = await this.job<Extract<FromTtsHost, { kind: 'pronounced' }>>(
      (job) => ({ kind: 'pronounce', job, words: [...words] }),
      never,
    );
    return Object.fromEntries(Object.entries(answer?.phones ?? {}).filter(([, phones]) => phones !== ''));
  }

  /**
   * One message to a host and its answer; once more with another host if the first one dies. Null when
   * cancelled.
   */
  private async job<T extends FromTtsHost>(
    message: (job: number) => ToTtsHost,
    signal: AbortSignal,
  ): Promise<T | null> {
    for (let attempt = 1; ; attempt++) {
      const lease = await this.port.lease();
      let cancelled = (): void => undefined;
      try {
        return await new Promise<T | null>((resolve, reject) => {
          if (signal.aborted) return resolve(null);
          cancelled = () => resolve(null);
          signal.addEventListener('abort', cancelled, { once: true });
          lease.onMessage = (answer) => answer.job === lease.job && resolve(answer as T);
          lease.onDeath = (why) =>
            reject(new EngineFault('engine-down', `a host of ${this.name} died (${why})`));
          lease.send(message(lease.job));
        });
      } catch (fault) {
        if (attempt > 1) throw fault;
      } finally {
        signal.removeEventListener('abort', cancelled);
        lease.release();
      }
    }
  }
}

/** Without the silence at both ends, at the house rate, the words timed accordingly. */
function trimmed({ samples, rateHz, words }: Said, volume: number): TtsEvent {
  const floats = resample(toFloats(samples), rateHz, HOUSE_RATE_HZ);
  const edges = audibleEdges(floats, HOUSE_RATE_HZ, SILENCE_FLOOR_DB) ?? { from: 0, to: floats.length };
  const margin = (MARGIN_MS * HOUSE_RATE_HZ) / 1000;
  const from = Math.max(0, edges.from - margin);
  const to = Math.min(floats.length, edges.to + margin);
  const shiftMs = msOfSamples(from, HOUSE_RATE_HZ);
  const lengthMs = Math.floor(msOfSamples(to - from, HOUSE_RATE_HZ));
  const timed = words.map(({ word, endMs }) => ({
    word,
    endMs: Math.max(0, Math.min(lengthMs, Math.round(endMs - shiftMs))),
  }));
  const loud = volume === 1 ? floats : floats.map((sample) => sample * volume);
  return { kind: 'audio', samples: toPcm16(loud.subarray(from, to)), words: timed };
}
