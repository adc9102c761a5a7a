/**
 * How a call's sound is coded. A byte of each is one tick of RTP's clock, which is 8 kHz for all of them (RFC
 * 3551, section 4.5).
 */
import {
  A_LAW,
  G722Decoder,
  G722Encoder,
  joinPcm16,
  MU_LAW,
  Resampler,
  toFloats,
  toPcm16,
  UpperBand,
} from '@verbalon/core';
import type { PhoneCallView } from '@verbalon/protocol';

/** Of RTP, and of G.711, in Hz. */
export const CLOCK_HZ = 8_000;

type CodecName = NonNullable<PhoneCallView['sound']>['codec'];

/** One call's sound, both ways. */
export interface Coder {
  decode(payload: Uint8Array): Int16Array;
  encode(samples: Int16Array): Uint8Array;
}

export interface Codec {
  name: CodecName;
  /** Of RFC 3551. */
  payloadType: number;
  rateHz: number;
  coder: () => Coder;
}

function wide(): Coder {
  const [decoder, encoder] = [new G722Decoder(), new G722Encoder()];
  return { decode: (payload) => decoder.decode(payload), encode: (samples) => encoder.encode(samples) };
}

/** The first is liked best, and is what we offer first. */
export const CODECS: readonly Codec[] = [
  { name: 'G722', payloadType: 9, rateHz: 16_000, coder: wide },
  { name: 'PCMU', payloadType: 0, rateHz: CLOCK_HZ, coder: () => MU_LAW },
  { name: 'PCMA', payloadType: 8, rateHz: CLOCK_HZ, coder: () => A_LAW },
];

/**
 * A coder whose samples are at `rateHz`, whatever its codec's rate: a call may change that, a talk does not.
 */
export function coderAt({ rateHz: own, coder }: Codec, rateHz: number): Coder {
  const made = coder();
  if (own === rateHz) return made;
  const [heard, said] = [new EvenResampler(own, rateHz), new EvenResampler(rateHz, own)];
  return {
    decode: (payload) => heard.pass(made.decode(payload)),
    encode: (samples) => made.encode(said.pass(samples)),
  };
}

/**
 * As much comes out as goes in, a filter's length later: it begins with silence. Above what a narrow sound
 * has, it is filled as for the ears of a narrow line.
 */
class EvenResampler {
  private readonly resampler: Resampler;
  private readonly upper: UpperBand | null;
  private rest = new Int16Array(0);

  constructor(fromHz: number, toHz: number) {
    this.resampler = new Resampler(fromHz, toHz);
    this.upper = fromHz < toHz ? new UpperBand() : null;
  }

  pass(samples: Int16Array): Int16Array {
    const { resampler, upper } = this;
    const count = (samples.length * resampler.toHz) / resampler.fromHz;
    const passed = toPcm16(resampler.push(toFloats(samples)));
    const there = joinPcm16([this.rest, upper ? upper.fill(passed) : passed]);
    const all = joinPcm16([new Int16Array(Math.max(0, count - there.length)), there]);
    this.rest = all.slice(count);
    return all.slice(0, count);
  }
}
