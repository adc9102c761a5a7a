/**
 * A caller's end of a talk: the line, the caller's sound that goes out on it, and the loudspeaker that plays
 * the assistant. One for the terminal, the browser, recordings, tests and benches.
 */
import { msOfSamples, type Floor, type PlayedReport } from '@verbalon/core';
import type {
  CallerMessage,
  CallerMessageOf,
  Frame,
  ServiceMessage,
  ServiceMessageOf,
} from '@verbalon/protocol';
import { Line, lineAddress, type Arrive, type LineEvents, type SocketLike } from './line.js';
import { PageEnd, type PageHooks } from './page-hooks.js';

/** What plays the assistant's sound, and tells by `played` what was. */
export interface Loudspeaker {
  add(frame: Frame): void;
  duck(): void;
  unduck(): void;
  /** Nothing more of what is queued is played. @param captured where the caller's axis stands */
  flush(captured: number): void;
}

export interface CallerEvents extends Pick<LineEvents, 'connection' | 'closed'> {
  message: (message: ServiceMessage) => void;
  /**
   * Opens, shows or fills something on the caller's screen. @returns whether it was done; a line without this
   * has no screen
   */
  screen?: ((what: ServiceMessageOf<'screen'>) => boolean | Promise<boolean>) | undefined;
  /** What it takes part in. */
  hooks?: PageHooks | undefined;
  /** So much of a speech has been played when the axis stood there. */
  played?: ((speech: number, playedMs: number, atMs: number) => void) | undefined;
}

export class CallerEnd {
  /** Samples of the caller's sound that went out: where the axis stands. */
  captured = 0;
  private line: Line | null = null;
  private readonly page: PageEnd;

  constructor(
    private readonly rateHz: number,
    private readonly speaker: Loudspeaker,
    private readonly events: CallerEvents,
  ) {
    this.page = new PageEnd(events.hooks ?? {}, (message) => this.send(message));
  }

  /** @param socket makes a new socket to this address. @throws ServiceError when nothing answers */
  async connect(
    address: string,
    socket: (address: string) => unknown,
    arrive: Omit<Arrive, 'audio' | 'parts'>,
  ): Promise<void> {
    const { connection, closed } = this.events;
    const { parts } = this.page;
    const audio = { encoding: 's16le' as const, rateHz: this.rateHz };
    const open = () => socket(lineAddress(address)) as SocketLike;
    this.line = await Line.connect(
      open,
      address,
      { ...arrive, audio, ...(parts.length > 0 ? { parts } : {}) },
      {
        message: (message) => this.take(message),
        sound: (frame) => this.speaker.add(frame),
        closed: (how) => {
          this.page.end();
          closed(how);
        },
        ...(connection ? { connection } : {}),
      },
    );
  }

  private take(message: ServiceMessage): void {
    if (message.kind === 'duck') this.speaker.duck();
    if (message.kind === 'unduck') this.speaker.unduck();
    if (message.kind === 'hush') this.speaker.flush(this.captured);
    this.events.message(message);
    if (message.kind === 'screen') void this.onScreen(message);
    this.page.take(message);
  }

  private async onScreen(what: ServiceMessageOf<'screen'>): Promise<void> {
    let done = false;
    try {
      done = (await this.events.screen?.(what)) ?? false;
    } catch {
      // What the page could not do was not done.
    }
    this.send({ kind: 'screen', run: what.run, done });
  }

  send(message: CallerMessage): void {
    this.line?.send(message);
  }

  /** The microphone's next samples; `firstSample` where it counts them itself. */
  sendSound(samples: Int16Array, firstSample = this.captured): void {
    this.line?.sendSound(firstSample, samples);
    this.captured = firstSample + samples.length;
  }

  /** The loudspeaker has played so much. */
  played(report: PlayedReport): void {
    const { speech, sample, capture } = report;
    this.send({ kind: 'played', ...report });
    this.events.played?.(speech, msOfSamples(sample, this.rateHz), msOfSamples(capture, this.rateHz));
  }

  press(): void {
    this.send({ kind: 'press', capture: this.captured });
  }

  release(): void {
    this.send({ kind: 'release', capture: this.captured });
  }

  hush(): void {
    this.send({ kind: 'hush' });
  }

  fresh(): void {
    this.send({ kind: 'fresh' });
  }

  type(text: string): void {
    this.send({ kind: 'typed', text });
  }

  /** Writes a value into the form of the errand that goes on. */
  write(slot: string, value: CallerMessageOf<'wrote'>['value']): void {
    this.send({ kind: 'wrote', slot, value });
  }

  floor(floor: Floor): void {
    this.send({ kind: 'floor', floor });
  }

  /** Goodbye; nothing more is sent. */
  leave(): void {
    this.line?.leave();
  }

  close(): void {
    this.line?.close();
  }
}
