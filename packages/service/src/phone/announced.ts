/**
 * A telephone that is rung for a caller who wants a person: it hears who wants what, takes the call with 1,
 * and gives it back with `*`.
 */
import { HOUSE_RATE_HZ, joinPcm16, resample, toFloats, toPcm16, VoiceQueue, type Key } from '@verbalon/core';
import { readFrame, type Item } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import type { Call } from '../talk/call/call.js';
import type { Guest, GuestLine } from '../talk/company/company.js';
import type { PhoneCall } from './phone-call.js';
import type { SoundLine } from './phone-line.js';

const TAKE: Key = '1';
const GIVE_BACK: Key = '*';
/** The announcement is said again after so much silence, in ms, and so often in all. */
const BETWEEN_MS = 3_000;
const MOST_TIMES = 3;

export class AnnouncedLine implements SoundLine, GuestLine {
  private readonly people: VoiceQueue;
  private announcing: Int16Array;
  private guest: Guest | null = null;

  /**
   * @param phone answered, and connected @param announcement at the house's rate @param taken somebody has
   * pressed 1
   */
  constructor(
    private readonly phone: PhoneCall,
    private readonly talk: Call,
    private readonly name: string,
    announcement: Int16Array,
    private readonly taken: () => void,
  ) {
    const { rateHz } = phone;
    this.people = new VoiceQueue(rateHz);
    const said = toPcm16(resample(toFloats(announcement), HOUSE_RATE_HZ, rateHz));
    const once = joinPcm16([said, new Int16Array((BETWEEN_MS * rateHz) / 1_000)]);
    this.announcing = joinPcm16(new Array<Int16Array>(MOST_TIMES).fill(once));
    phone.onEnd(() => this.guest && talk.company.leave(this.guest));
  }

  hear(samples: Int16Array): void {
    this.guest?.hear(samples);
  }

  next(count: number): Int16Array {
    if (this.guest) return this.people.take(count) ?? new Int16Array(count);
    const next = new Int16Array(count);
    next.set(this.announcing.subarray(0, count));
    this.announcing = this.announcing.subarray(count);
    if (this.announcing.length === 0) this.phone.hangUp('the service', 'nobody pressed 1');
    return next;
  }

  key(key: Key): void {
    if (this.guest === null && key === TAKE) this.take();
    else if (this.guest !== null && key === GIVE_BACK)
      this.phone.hangUp('the person', 'the call was given back');
  }

  write(item: Item): void {
    if (typeof item !== 'string') this.people.put(readFrame(item).samples);
  }

  talkOver(): void {
    this.guest = null;
    this.phone.hangUp('the service', 'the caller has left');
  }

  private take(): void {
    const { company } = this.talk;
    let guest: Guest | null = null;
    try {
      guest = company.join(this.name, this, this.phone.rateHz);
      company.takeOver(guest);
      this.guest = guest;
      this.taken();
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      if (guest) company.leave(guest);
      this.phone.hangUp('the service', error.detail);
    }
  }
}
