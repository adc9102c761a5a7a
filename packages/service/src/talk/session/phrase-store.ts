/**
 * Sound of phrases that were said before: made once, bounded, and the voice that is left when all engines are
 * gone.
 */
import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  HOUSE_RATE_HZ,
  joinPcm16,
  KEPT_SOUND,
  msOfSamples,
  readWav,
  toPcm16,
  writeWav,
  type WordTime,
} from '@verbalon/core';
import type { TtsEvent, TtsRequest } from '@verbalon/engines';

const MOST_BYTES = 64 * 1024 * 1024;
/** A phrase that is longer will hardly be said again, in ms. */
const MOST_PHRASE_MS = 15_000;

/** What a file says of the sound beside it. */
interface Kept {
  key: string;
  text: string;
  words: WordTime[] | null;
}

type Said = Pick<TtsRequest, 'text' | 'language' | 'voice'>;

export class PhraseStore {
  /** Least recently used first. */
  private readonly phrases = new Map<string, TtsEvent>();
  /** Texts by whatever engine and voice. */
  private readonly byText = new Map<string, string>();
  /** What must be there when every voice is gone: it never gives way. */
  private readonly forGood = new Set<string>();
  private bytes = 0;

  /** @param folder where what is kept for good lies from one start to the next; null for nowhere */
  constructor(
    private readonly mostBytes = MOST_BYTES,
    private readonly folder: string | null = null,
  ) {
    if (folder !== null) this.readAll(folder);
  }

  find(engine: string, said: Said): TtsEvent | null {
    const key = engine === KEPT_SOUND ? this.byText.get(said.text) : keyOf(engine, said);
    const found = key === undefined ? undefined : this.phrases.get(key);
    if (key === undefined || !found) return null;
    this.phrases.delete(key);
    this.phrases.set(key, found);
    return found;
  }

  keep(engine: string, said: Said, events: readonly TtsEvent[]): void {
    const samples = joinPcm16(events.map((event) => event.samples));
    if (samples.length === 0 || msOfSamples(samples.length, HOUSE_RATE_HZ) > MOST_PHRASE_MS) return;
    this.put(keyOf(engine, said), said.text, { kind: 'audio', samples, words: events.at(-1)!.words });
  }

  /** What must be there even when the service starts without any voice. */
  keepForGood(engine: string, said: Said, events: readonly TtsEvent[]): void {
    const key = keyOf(engine, said);
    this.forGood.add(key);
    this.keep(engine, said, events);
    const found = this.phrases.get(key);
    if (this.folder === null || !found) return;
    mkdirSync(this.folder, { recursive: true });
    const file = join(this.folder, createHash('sha256').update(key).digest('hex').slice(0, 24));
    const about: Kept = { key, text: said.text, words: found.words };
    writeFileSync(`${file}.wav`, writeWav([found.samples], HOUSE_RATE_HZ));
    writeFileSync(`${file}.json`, JSON.stringify(about));
  }

  private readAll(folder: string): void {
    mkdirSync(folder, { recursive: true });
    for (const name of readdirSync(folder)) {
      if (!name.endsWith('.json')) continue;
      try {
        const { key, text, words } = JSON.parse(readFileSync(join(folder, name), 'utf8')) as Kept;
        const { channels } = readWav(readFileSync(join(folder, name.replace(/json$/, 'wav'))));
        this.forGood.add(key);
        this.put(key, text, { kind: 'audio', samples: toPcm16(channels[0]!), words });
      } catch {
        // A file that was half written is made anew when there is a voice.
      }
    }
  }

  private put(key: string, text: string, found: TtsEvent): void {
    if (this.phrases.has(key)) return;
    const { samples } = found;
    this.phrases.set(key, found);
    this.byText.set(text, key);
    this.bytes += samples.byteLength;
    for (const [oldest, { samples: gone }] of this.phrases) {
      if (this.bytes <= this.mostBytes) break;
      if (this.forGood.has(oldest)) continue;
      this.phrases.delete(oldest);
      this.bytes -= gone.byteLength;
      for (const [its, theirs] of this.byText) if (theirs === oldest) this.byText.delete(its);
    }
  }
}

function keyOf(engine: string, { text, language, voice }: Said): string {
  return JSON.stringify([engine, language, voice.name, voice.rate, voice.pitchHz, voice.volume, text]);
}
