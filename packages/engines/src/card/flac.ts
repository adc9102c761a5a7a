/** FLAC of a segment's sound, packed in a thread of its encoder while the sound comes. */
import { HOUSE_RATE_HZ, joinPcm16 } from '@verbalon/core';

/** Sound is handed over in pieces of at least this length, in samples: one is packed as fast as several. */
const PIECE_SAMPLES = HOUSE_RATE_HZ / 4;

export class FlacFile {
  private waiting: Int16Array[] = [];
  private count = 0;
  private given = 0;
  private readonly encoder: Promise<Encoder>;
  private work: Promise<unknown>;

  constructor(private readonly rateHz: number) {
    this.encoder = openEncoder();
    this.work = this.encoder;
    this.work.catch(() => undefined);
  }

  push(samples: Int16Array): void {
    this.waiting.push(samples);
    this.count += samples.length;
    if (this.count >= PIECE_SAMPLES) this.hand();
  }

  /** All that was pushed, as one file. */
  async whole(): Promise<Buffer> {
    this.hand();
    await this.work;
    return (await this.encoder).end();
  }

  private hand(): void {
    if (this.count === 0) return;
    const data = joinPcm16(this.waiting);
    const at = this.given / this.rateHz;
    this.given += data.length;
    this.waiting = [];
    this.count = 0;
    this.work = this.work.then(async () => (await this.encoder).add(data, this.rateHz, at));
    this.work.catch(() => undefined);
  }
}

interface Encoder {
  add(data: Int16Array, rateHz: number, atS: number): Promise<void>;
  end(): Promise<Buffer>;
}

async function openEncoder(): Promise<Encoder> {
  const { AudioSample, AudioSampleSource, BufferTarget, FlacOutputFormat, Output } =
    await import('mediabunny');
  const { registerFlacEncoder } = await import('@mediabunny/flac-encoder');
  registerFlacEncoder();
  const target = new BufferTarget();
  const output = new Output({ format: new FlacOutputFormat(), target });
  const source = new AudioSampleSource({ codec: 'flac' });
  output.addAudioTrack(source);
  await output.start();
  return {
    add: async (data, sampleRate, timestamp) => {
      const sample = new AudioSample({ data, format: 's16', numberOfChannels: 1, sampleRate, timestamp });
      await source.add(sample);
      sample.close();
    },
    end: async () => {
      await output.finalize();
      return Buffer.from(target.buffer!);
    },
  };
}
