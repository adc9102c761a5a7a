/**
 * Whoever else is in a talk. Guests hear everybody; one at a time speaks in the caller's place, while a key
 * of theirs is down; and a person may take over: then the caller and the person talk with each other, and the
 * assistant only listens.
 */
import {
  AT_ONCE,
  HOUSE_RATE_HZ,
  mixPcm16,
  Resampler,
  toFloats,
  toPcm16,
  VoiceQueue,
  WHOLE,
} from '@verbalon/core';
import { writeFrame, type Item, type ServiceMessage } from '@verbalon/protocol';
import { ProblemError } from '../../problems/problems.js';
import type { Session } from '../session/session.js';

const MOST_GUESTS = 20;

/** By which a guest is there. */
export interface GuestLine {
  write(item: Item): void;
  /** The talk is over. */
  talkOver(): void;
}

/** The caller's line, as its company needs it. */
export interface CallersLine {
  readonly rateHz: number;
  /** What other people say, for the caller's loudspeaker. */
  playPeople(samples: Int16Array): void;
  /** Somebody has taken over. */
  personCame(): void;
}

export class Guest {
  voice: VoiceQueue;
  /** When the line's sound began, for its pace; null before it came. */
  pacedFromMs: number | null = null;
  /** `open`: what is said is heard; `closing`: only what is on its way still is. */
  microphone: 'shut' | 'open' | 'closing' = 'shut';
  private readonly inward: Resampler;
  private readonly outward: Resampler;
  private sent = 0;
  /** Frames hold an even number of samples. */
  private odd = new Int16Array(0);

  constructor(
    readonly name: string,
    private readonly line: GuestLine,
    readonly rateHz: number,
    private readonly talkRateHz: number,
  ) {
    this.voice = new VoiceQueue(talkRateHz);
    this.inward = new Resampler(rateHz, talkRateHz);
    this.outward = new Resampler(talkRateHz, rateHz);
  }

  /** What is said from now on is heard: of a turn whole, in a conversation at once. */
  open(patience: typeof WHOLE): void {
    this.voice = new VoiceQueue(this.talkRateHz, patience);
    this.microphone = 'open';
  }

  hear(samples: Int16Array): void {
    if (this.microphone === 'open') this.voice.put(toPcm16(this.inward.push(toFloats(samples))));
  }

  play(samples: Int16Array): void {
    const all = [...this.odd, ...toPcm16(this.outward.push(toFloats(samples)))];
    const even = Int16Array.from(all.slice(0, all.length - (all.length % 2)));
    this.odd = Int16Array.from(all.slice(even.length));
    this.line.write(
      writeFrame({ from: 'people', epoch: 0, firstSample: this.sent, last: false, samples: even }),
    );
    this.sent += even.length;
  }

  tell(message: ServiceMessage): void {
    this.line.write(JSON.stringify(message));
  }

  talkOver(): void {
    this.line.talkOver();
  }
}

export class Company {
  private readonly guests = new Set<Guest>();
  private readonly assistant: VoiceQueue;
  private readonly toHouse: Resampler;
  private speaker: Guest | null = null;
  private taken: Guest | null = null;
  /** Of the caller's sound, in samples. */
  private captured = 0;

  constructor(
    private readonly session: Pick<Session, 'key' | 'happen' | 'beside'>,
    private readonly caller: CallersLine,
  ) {
    this.assistant = new VoiceQueue(caller.rateHz, WHOLE);
    this.toHouse = new Resampler(caller.rateHz, HOUSE_RATE_HZ);
  }

  /** Who talks with the caller in the assistant's place. */
  get person(): string | null {
    return this.taken?.name ?? null;
  }

  /** @throws ProblemError `guests-too-many` */
  join(name: string, line: GuestLine, rateHz: number): Guest {
    if (this.guests.size >= MOST_GUESTS)
      throw new ProblemError('guests-too-many', `${MOST_GUESTS} are in this talk already`);
    const guest = new Guest(name, line, rateHz, this.caller.rateHz);
    this.guests.add(guest);
    return guest;
  }

  leave(guest: Guest): void {
    if (!this.guests.delete(guest)) return;
    if (guest === this.taken) this.giveBack(guest);
    if (guest === this.speaker) this.silence();
  }

  /** Everybody leaves: the talk is over. */
  close(): void {
    const guests = [...this.guests];
    this.guests.clear();
    for (const guest of guests) guest.talkOver();
  }

  /** @throws ProblemError `floor-taken` */
  press(guest: Guest): void {
    if (this.taken) throw new ProblemError('floor-taken', `${this.taken.name} talks with the caller`);
    if (this.speaker && this.speaker !== guest)
      throw new ProblemError('floor-taken', `${this.speaker.name} speaks`);
    if (this.speaker === guest) guest.microphone = 'open';
    else guest.open(WHOLE);
    this.speaker = guest;
    this.session.key('pressed', this.captured, guest.name);
  }

  release(guest: Guest): void {
    if (guest === this.speaker) guest.microphone = 'closing';
  }

  /** @throws ProblemError `floor-taken` */
  takeOver(guest: Guest): void {
    if (this.taken === guest) return;
    if (this.taken) throw new ProblemError('floor-taken', `${this.taken.name} talks with the caller`);
    if (this.speaker) this.silence();
    this.taken = guest;
    guest.open(AT_ONCE);
    this.assistant.clear();
    this.caller.personCame();
    this.session.happen({ kind: 'tookOver', name: guest.name });
  }

  giveBack(guest: Guest): void {
    if (guest !== this.taken) return;
    this.taken = null;
    guest.microphone = 'shut';
    guest.voice.clear();
    this.session.happen({ kind: 'gaveBack' });
  }

  /** What is for everybody who takes part, and not only for the caller. */
  tell(message: ServiceMessage): void {
    if (message.kind === 'hush') this.assistant.clear();
    if (message.kind === 'person' || message.kind === 'farewell')
      for (const guest of this.guests) guest.tell(message);
  }

  /** The assistant says this next. */
  assistantSays(samples: Int16Array): void {
    if (this.guests.size > 0) this.assistant.put(samples);
  }

  /**
   * The caller's sound, with which time goes on. @returns what the talk hears, the caller or whoever has the
   * floor; and `share`, to be called when it has heard it: then everybody hears all others
   */
  mix(firstSample: number, samples: Int16Array): { voice: Int16Array; share: () => void } {
    this.captured = firstSample + samples.length;
    if (this.guests.size === 0) return { voice: samples, share: () => undefined };
    const count = samples.length;
    const said = new Map(
      [...this.guests].map((guest) => [guest, guest.voice.take(count, guest.microphone === 'closing')]),
    );
    const { speaker } = this;
    return {
      voice: speaker ? (said.get(speaker) ?? new Int16Array(count)) : samples,
      share: () => this.share(firstSample, samples, said),
    };
  }

  /** @param said what each guest says at the same time */
  private share(firstSample: number, samples: Int16Array, said: ReadonlyMap<Guest, Int16Array | null>): void {
    const people = mixPcm16([...said.values()]);
    if (people) this.caller.playPeople(people);
    if (people && this.taken) this.keep(firstSample, people);
    const assistant = this.assistant.take(samples.length);
    for (const guest of this.guests) {
      const others = [...said].map(([one, voice]) => (one === guest ? null : voice));
      guest.play(mixPcm16([samples, assistant, ...others])!);
    }
    const { speaker } = this;
    if (speaker?.microphone === 'closing' && speaker.voice.isEmpty) this.silence();
  }

  /** What a person said is part of the talk's sound. */
  private keep(firstSample: number, samples: Int16Array): void {
    const from = Math.round((firstSample * HOUSE_RATE_HZ) / this.caller.rateHz);
    this.session.beside(from, toPcm16(this.toHouse.push(toFloats(samples))));
  }

  /** Whoever spoke in the caller's place has said it. */
  private silence(): void {
    const { speaker } = this;
    this.speaker = null;
    if (!speaker) return;
    speaker.microphone = 'shut';
    speaker.voice.clear();
    this.session.key('released', this.captured);
  }
}
