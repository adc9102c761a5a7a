/** Sayings as sounds: by a voice, in its surroundings, over its line. */
import { HOUSE_RATE_HZ, seeded, levelDb } from '@verbalon/core';
import type { FliteEngine } from '@verbalon/engines';
import type { HearingProfile } from '@verbalon/engines';
import { pick, type Half } from '../turns/sentences.js';
import {
  babblersOf,
  laid,
  msOf,
  onLine,
  Speakers,
  surroundings,
  VOICES,
  type Condition,
} from '../turns/set.js';

const LEAD_MS = 300;
const TAIL_MS = 400;
const SPEECH_DB = -23;

export class Sounds {
  private constructor(
    private readonly half: Half,
    private readonly speakers: Speakers,
    private readonly babblers: readonly Float32Array[],
    private readonly random: () => number,
  ) {}

  static async open(half: Half, seed: number): Promise<Sounds> {
    const random = seeded(seed);
    const speakers = new Speakers();
    return new Sounds(half, speakers, await babblersOf(half, speakers), random);
  }

  async of(text: string, condition: Condition): Promise<Int16Array> {
    const { random } = this;
    const voice = pick(VOICES[this.half], random);
    const { samples } = await this.speakers.say(text, voice, 0.92 + 0.2 * random(), 0.9 + 0.2 * random());
    const speechDb = SPEECH_DB + 6 * (random() - 0.5);
    const gain = 10 ** ((speechDb - levelDb(samples)) / 20);
    const placed = [{ atMs: LEAD_MS, samples: samples.map((sample) => sample * gain) }];
    const clean = laid(placed, LEAD_MS + msOf(samples) + TAIL_MS);
    const around = surroundings(condition, clean.length, speechDb, random, this.babblers);
    return onLine(
      clean.map((sample, i) => sample + around[i]!),
      condition.rateHz,
    );
  }

  close(): Promise<void> {
    return this.speakers.close();
  }
}

export const QUIET: Condition = { noise: null, snrDb: null, rateHz: HOUSE_RATE_HZ };

/** As the service has it: names that no dictionary knows sound as the voice says them. */
export async function withNames(profile: HearingProfile, voice: FliteEngine): Promise<HearingProfile> {
  const names = [...new Set(profile.sentences.flat())];
  return { ...profile, pronunciations: { ...(await voice.pronounce(names)), ...profile.pronunciations } };
}
