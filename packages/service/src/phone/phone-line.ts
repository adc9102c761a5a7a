/**
 * Between a call's sound and a talk: what the assistant says is played to the telephone, and what it plays is
 * told.
 */
import { Playout, toPcm16, type Key } from '@verbalon/core';
import { readFrame, type Item, type ServiceMessage, type ServiceMessageOf } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import type { Call, CallLine } from '../talk/call/call.js';

export interface LineEvents {
  /** The talk has ended by itself. */
  hungUp: () => void;
  /** A person is to take over; told when what was said of it has been played. */
  handOver: (message: ServiceMessageOf<'handOver'>) => void;
}

type Report = ServiceMessageOf<'turn'>['report'];

/** What a call's sound is for. */
export interface SoundLine {
  hear(samples: Int16Array): void;
  /** The next samples for the telephone. */
  next(count: number): Int16Array;
  key(key: Key): void;
}

export class PhoneLine implements CallLine, SoundLine {
  /** Samples of the caller's sound by now: where the axis stands. */
  private captured = 0;
  private call: Call | null = null;
  private playout: Playout | null = null;
  /** The first that the assistant said, and how many turns there were by now. */
  firstSaid: Report | null = null;
  turns = 0;
  onFirstSaid: (report: Report) => void = () => undefined;
  private handingOver: ServiceMessageOf<'handOver'> | null = null;

  constructor(private readonly events: LineEvents) {}

  /** What sound the telephone speaks is known. @param rateHz of it, both ways */
  open(rateHz: number): void {
    this.playout ??= new Playout(rateHz, ({ speech, sample, capture, flushed = false }) =>
      this.guarded(({ session }) => session.played(speech, sample, capture, flushed)),
    );
  }

  begin(call: Call): void {
    this.call = call;
  }

  hear(samples: Int16Array): void {
    if (!this.call) return;
    this.guarded((call) => call.hear(this.captured, samples));
    this.captured += samples.length;
  }

  next(count: number): Int16Array {
    return this.playout ? toPcm16(this.playout.pull(count, this.captured)) : new Int16Array(count);
  }

  key(key: Key): void {
    this.guarded((call) => call.session.happen({ kind: 'keyed', key }));
  }

  write(item: Item): void {
    if (typeof item !== 'string') return this.playout?.add(readFrame(item));
    this.take(JSON.parse(item) as ServiceMessage);
  }

  takenOver(): void {
    // Nobody else can have a telephone's line.
  }

  hungUp(): void {
    this.events.hungUp();
  }

  private take(message: ServiceMessage): void {
    switch (message.kind) {
      case 'duck':
        return this.playout?.duck();
      case 'unduck':
        return this.playout?.unduck();
      case 'hush':
        return this.playout?.flush(this.captured);
      case 'handOver':
        this.handingOver = message;
        return;
      case 'turn': {
        if (++this.turns === 1) this.onFirstSaid((this.firstSaid = message.report));
        const { handingOver } = this;
        if (handingOver?.turn !== message.report.turn) return;
        this.handingOver = null;
        return this.events.handOver(handingOver);
      }
      default:
    }
  }

  /** What a talk refuses is nobody's fault here: its line is our own. */
  private guarded(work: (call: Call) => void): void {
    if (!this.call) return;
    try {
      work(this.call);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  }
}
