/**
 * The hearings of an utterance: an open one and, where something is expected, a closed one beside it; where
 * nothing else counts, the closed one alone.
 */
import {
  Contrast,
  heardClosed,
  heardOpen,
  NoiseReduction,
  oneHearing,
  type OneHearing,
  type TwoHearings,
  UpperBand,
} from '@verbalon/core';
import type { Adaptation, ToSttHost } from './messages.js';
import { USUAL, type ProfileMessage } from './profile.js';
import type { ClosedDecoder, OpenDecoder } from './native.js';

type Start = Extract<ToSttHost, { kind: 'start' }>;

export class Hearings {
  /**
   * Profiles that are not loaded yet: each takes some tenths of a second, and a host that takes over from a
   * dead one needs only its own.
   */
  private readonly waiting = new Map<string, ProfileMessage>();
  private readonly loaded = new Map<string, ProfileMessage>();
  private readonly contrast = new Contrast();
  /** What the sound goes through before it is heard, in this order. */
  private reduction = new NoiseReduction(null);
  private upper: UpperBand | null = null;
  private isOpen = true;
  private isClosed = false;
  private shown = '';

  constructor(
    private readonly open: OpenDecoder,
    private readonly closed: ClosedDecoder,
  ) {}

  add(profile: ProfileMessage): void {
    this.waiting.set(profile.key, profile);
  }

  /** Loads one of those that wait. @returns false where none does */
  loadNext(): boolean {
    const [next] = this.waiting.keys();
    if (next === undefined) return false;
    this.load(next);
    return true;
  }

  private load(key: string | null): ProfileMessage | undefined {
    if (key === null) return undefined;
    const profile = this.waiting.get(key);
    if (!profile) return this.loaded.get(key);
    this.waiting.delete(key);
    for (const [word, phones] of Object.entries(profile.pronunciations)) this.open.addWord(word, [phones]);
    this.open.addModel(key, profile.files, profile.weight);
    for (const [word, phones] of Object.entries(profile.closed.words)) this.closed.addWord(word, phones);
    const usual = profile.closed.grammars[USUAL];
    if (usual !== undefined) this.closed.prepare(usual);
    this.loaded.set(key, profile);
    return profile;
  }

  start({ profile: key, adapted, isNarrow, phrasesFile, expecting }: Start): void {
    const means = adapted?.means ?? null;
    this.shown = '';
    this.beginSound(adapted?.noise ?? null, isNarrow);
    const profile = this.load(key);
    const grammars = profile?.closed.grammars ?? {};
    const file = grammars[expecting ?? USUAL] ?? grammars[USUAL];
    this.isClosed = phrasesFile === undefined && file !== undefined && this.closed.start(file, means);
    this.isOpen = !(this.isClosed && expecting !== undefined && profile!.closed.only.includes(expecting));
    if (!this.isOpen) return;
    if (phrasesFile === undefined) this.open.start(key, means, expecting);
    else this.open.listenFor(phrasesFile, means);
  }

  private beginSound(noise: Float32Array | null, isNarrow: boolean): void {
    this.contrast.begin();
    this.reduction = new NoiseReduction(noise);
    this.upper = isNarrow ? new UpperBand() : null;
  }

  push(samples: Int16Array): void {
    this.contrast.push(samples);
    this.decode(this.reduction.fill(samples));
  }

  private decode(reduced: Int16Array): void {
    const samples = this.upper?.fill(reduced) ?? reduced;
    if (samples.length > 0) for (const decoder of this.decoders) decoder.push(samples);
  }

  private get decoders(): (OpenDecoder | ClosedDecoder)[] {
    return [...(this.isOpen ? [this.open] : []), ...(this.isClosed ? [this.closed] : [])];
  }

  /** What was heard so far, where it has changed. */
  partial(): OneHearing | null {
    const text = this.decoders.map((decoder) => decoder.text()).join('\n');
    if (text === this.shown) return null;
    this.shown = text;
    return this.heard();
  }

  end(): void {
    this.decode(this.reduction.flush());
    if (this.upper) for (const decoder of this.decoders) decoder.push(this.upper.flush());
    for (const decoder of this.decoders) decoder.end();
  }

  /** What was heard; after `end`, for good. */
  heard(): OneHearing {
    if (!this.isClosed) return heardOpen(this.open.stretches());
    if (!this.isOpen) return heardClosed(this.closed.stretches());
    return oneHearing(this.both());
  }

  both(): TwoHearings {
    return {
      open: this.open.stretches(),
      closed: this.closed.stretches(),
      contrastDb: this.contrast.db(),
    };
  }

  alternatives(best: string): string[] {
    return this.isOpen ? this.open.alternatives(best) : [];
  }

  adapted(): Adaptation {
    return { means: (this.isOpen ? this.open : this.closed).means(), noise: this.reduction.around() };
  }
}
