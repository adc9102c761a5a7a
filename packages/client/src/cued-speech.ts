/**
 * What a recording says, tick by tick: silence where the caller waits for the assistant, and after its end.
 */

/** A caller who waits goes on after so long in any case, in ms. */
const MOST_WAIT_MS = 30_000;

/**
 * A place in the recording, in ms, at which the caller waits: until the assistant is being heard, or until it
 * has nothing more to say. So a slow machine changes when something is said, and not who interrupts whom.
 */
export interface Cue {
  atMs: number;
  until: 'speaking' | 'silent';
}

export class CuedSpeech {
  private place = 0;
  private afterEnd = 0;
  private readonly cues: (Cue & { waited: number })[];
  private next = 0;

  constructor(
    private readonly samples: Int16Array,
    private readonly rateHz: number,
    cues: readonly Cue[],
  ) {
    this.cues = cues.map((cue) => ({ ...cue, waited: 0 })).sort((a, b) => a.atMs - b.atMs);
  }

  /** How much of the recording has been spoken. */
  get spokenMs(): number {
    return this.ms(this.place);
  }

  /** How much silence has come after its end. */
  get overForMs(): number {
    return this.ms(this.afterEnd);
  }

  /** A moment of the recording on the caller's axis: later by what was waited until then. */
  axisMs(recordingMs: number): number {
    const waits = this.cues.filter(({ atMs }) => atMs <= recordingMs);
    return waits.reduce((sum, { waited }) => sum + this.ms(waited), recordingMs);
  }

  /** @param isSo whether what a cue waits for holds */
  tick(count: number, isSo: (until: Cue['until']) => boolean): Int16Array {
    const frame = new Int16Array(count);
    if (this.waits(count, isSo)) return frame;
    const said = this.samples.subarray(this.place, this.place + count);
    frame.set(said);
    this.place += said.length;
    this.afterEnd += count - said.length;
    return frame;
  }

  private waits(count: number, isSo: (until: Cue['until']) => boolean): boolean {
    const cue = this.cues[this.next];
    if (!cue || this.spokenMs < cue.atMs) return false;
    if (isSo(cue.until) || this.ms(cue.waited) >= MOST_WAIT_MS) {
      this.next++;
      return false;
    }
    cue.waited += count;
    return true;
  }

  private ms(samples: number): number {
    return (samples * 1000) / this.rateHz;
  }
}
