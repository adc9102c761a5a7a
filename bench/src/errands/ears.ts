/** The local ears with what they expect of the demo's assistant, turn by turn: as a talk has them. */
import { fileURLToPath } from 'node:url';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PocketSphinxEngine, type FliteEngine, type HearingProfile } from '@verbalon/engines';
import { Project } from '@verbalon/service/project';

/** As its files have it. */
export const demoProject = () => new Project(fileURLToPath(new URL('../../../demo', import.meta.url)));

const HOSTS = 2;
const PIECE_SAMPLES = 640;

export class Ears {
  private turns = 0;

  private constructor(
    private readonly engine: PocketSphinxEngine,
    private readonly profile: HearingProfile,
  ) {}

  /** @param voice says how names sound that the dictionary lacks */
  static async open(voice: FliteEngine): Promise<Ears> {
    const { profile } = demoProject().assistant('tansy');
    const names = [...new Set(profile!.sentences.flat())];
    const pronunciations = { ...(await voice.pronounce(names)), ...profile!.pronunciations };
    const workFolder = mkdtempSync(join(tmpdir(), 'bench-ears-'));
    const engine = new PocketSphinxEngine({
      name: 'ears',
      title: 'ears',
      languages: ['en'],
      hosts: HOSTS,
      workFolder,
    });
    const prepared = { ...profile!, pronunciations };
    await engine.prepare(prepared);
    await engine.warm();
    return new Ears(engine, prepared);
  }

  /** The words of a turn. @param asked the slot that is asked for */
  async hear(samples: Int16Array, asked: string | null): Promise<string> {
    const stream = this.engine.open({
      language: 'en',
      profile: this.profile,
      talk: `turn-${this.turns++}`,
      stay: null,
      signal: new AbortController().signal,
      ...(asked === null ? {} : { expecting: asked }),
    });
    for (let at = 0; at < samples.length; at += PIECE_SAMPLES)
      stream.push(samples.subarray(at, at + PIECE_SAMPLES));
    stream.finish();
    let words = '';
    for await (const event of stream.events)
      if (event.kind === 'final') words = event.words.map(({ word }) => word).join(' ');
    return words;
  }

  close(): Promise<void> {
    return this.engine.close();
  }
}
