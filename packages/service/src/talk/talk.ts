/**
 * The shell around the conductor: turns sound, engines and timers into happenings, and carries the orders out.
 * It decides nothing about the conversation.
 */
import {
  Conductor, Ear, estimateWordTimes, HOUSE_RATE_HZ, msOfSamples, Resampler, samplesOfMs, toFloats, toPcm16,
  type Happening, type Order, type OrderOf, type Plan, type WordTime,
} from '@verbalon/core'; // prettier-ignore
import { EngineFault, type HearingProfile, type LlmEngine, type SttEngine, type SttStream, type TtsEngine, type TtsRequest } from '@verbalon/engines'; // prettier-ignore
import type { ServiceMessage } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { isProblemCode, PROBLEMS } from '../problems.js';
import { Axis } from './axis.js';
import { CallerSound } from './caller-sound.js';
import { HeardLane } from './heard-lane.js';
import { Pacer, type PacedFrame } from './pacer.js';

/** What is left to say about a happening once its time is put to it. */
type Unstamped = Happening extends infer H ? (H extends Happening ? Omit<H, 'nowMs'> : never) : never;
/** A message before its time is put to it. */
type Untimed = ServiceMessage extends infer M ? (M extends ServiceMessage ? Omit<M, 'atMs'> : never) : never;

export interface Lineup {
  stt: SttEngine;
  llm: LlmEngine;
  tts: TtsEngine;
}

/** Where a talk's words and sound are kept; what it gives back does not matter. */
export interface TalkRecord {
  journal(entry: {
    index: number;
    atMs: number;
    side: 'happening' | 'order';
    kind: string;
    body: unknown;
  }): unknown;
  audio(side: 'caller' | 'assistant', firstSample: number, samples: Int16Array): unknown;
  turn(report: Extract<ServiceMessage, { kind: 'turn' }>['report']): unknown;
}

export interface TalkOptions {
  id: string;
  plan: Plan;
  profile: HearingProfile | null;
  voice: TtsRequest['voice'];
  lineup: Lineup;
  rateHz: number;
  record: TalkRecord;
  log: Logger;
  clock?: () => number;
  send: (message: ServiceMessage) => void;
  sendSound: (frame: PacedFrame) => void;
  /** The conductor has ended the talk. */
  hangUp: () => void;
}

interface Hearing {
  stream: SttStream;
  abort: AbortController;
  closed: boolean;
}

export class Talk {
  private readonly conductor = new Conductor();
  private readonly ear = new Ear();
  private readonly axis: Axis;
  private readonly sound: CallerSound;
  private readonly pacer: Pacer;
  private readonly lane = new HeardLane();
  private readonly hearings = new Map<number, Hearing>();
  private readonly thoughts = new Map<number, AbortController>();
  private readonly syntheses = new Map<number, AbortController>();
  private readonly timers = new Map<number, NodeJS.Timeout>();
  /** Sound of phrases that came before they were ordered to be played. */
  private readonly ready = new Map<number, { samples: Int16Array; complete: boolean }[]>();
  private readonly playing = new Set<number>();
  private entries = 0;
  private ended = false;

  constructor(private readonly options: TalkOptions) {
    const clock = options.clock ?? (() => performance.now());
    this.axis = new Axis(clock);
    this.sound = new CallerSound(options.rateHz);
    this.pacer = new Pacer(options.rateHz, clock, options.sendSound);
  }

  begin(): void {
    this.happen({ kind: 'joined', plan: this.options.plan });
  }

  /** Something happened: the conductor is asked, everything is written down, the orders are carried out. */
  happen(unstamped: Unstamped): void {
    if (this.ended) return;
    const happening = { ...unstamped, nowMs: Math.round(this.axis.nowMs() * 10) / 10 } as Happening;
    const orders = this.conductor.conduct(happening);
    this.write('happening', happening.nowMs, happening);
    for (const order of orders) this.write('order', happening.nowMs, order);
    for (const order of orders) this.carryOut(order, happening.nowMs);
  }

  /** Sound has come: `firstSample` on the caller's axis at the line's rate. */
  hear(firstSample: number, samples: Int16Array): void {
    const arrival = this.sound.take(firstSample, samples);
    if (!arrival || this.ended) return;
    this.axis.learn(this.sound.capturedMs);
    this.options.record.audio('caller', arrival.from, arrival.samples);
    for (const hearing of this.hearings.values()) if (!hearing.closed) hearing.stream.push(arrival.samples);
    const own = this.lane.playingAt(arrival.from, arrival.floats.length);
    for (const event of this.ear.hear(arrival.floats, own)) this.happen(event);
  }

  played(speech: number, sample: number, capture: number, flushed: boolean): void {
    const { rateHz } = this.options;
    const playedMs = msOfSamples(sample, rateHz);
    const atMs = msOfSamples(capture, rateHz);
    this.pacer.heard(speech, sample);
    const heard = this.lane.played(speech, playedMs, atMs);
    if (heard) this.options.record.audio('assistant', heard.firstSample, heard.samples);
    this.happen({ kind: 'played', speech, playedMs, atMs, flushed });
  }

  /** A key went down or up, or the line ducked by itself, when the line had captured `capture` samples. */
  key(kind: 'pressed' | 'released' | 'ducked', capture: number): void {
    this.happen({ kind, atMs: msOfSamples(capture, this.options.rateHz) });
  }

  end(why: string): void {
    if (this.ended) return;
    this.happen({ kind: 'left', why });
    this.ended = true;
    this.pacer.stop();
    for (const timer of this.timers.values()) clearTimeout(timer);
    for (const { abort } of this.hearings.values()) abort.abort();
    for (const abort of [...this.thoughts.values(), ...this.syntheses.values()]) abort.abort();
    this.options.lineup.stt.forget(this.options.id);
  }

  private write(side: 'happening' | 'order', atMs: number, body: Happening | Order): void {
    this.options.record.journal({ index: this.entries++, atMs, side, kind: body.kind, body });
  }

  private send(message: Untimed): void {
    this.options.send({ ...message, atMs: Math.round(this.axis.nowMs()) } as ServiceMessage);
  }

  private carryOut(order: Order, nowMs: number): void {
    switch (order.kind) {
      case 'openRecognition':
        return this.openRecognition(order);
      case 'closeRecognition':
        return this.closeRecognition(order.recognition);
      case 'dropRecognition':
        return this.stop(this.hearings, order.recognition);
      case 'think':
        return void this.think(order);
      case 'dropThought':
        return this.abort(this.thoughts, order.thought);
      case 'synthesise':
        return void this.synthesise(order);
      case 'dropSynthesis':
        return this.abort(this.syntheses, order.speech);
      case 'play':
        return this.play(order.speech);
      case 'duck':
      case 'unduck':
        this.lane.duck(order.kind === 'duck');
        return this.send({ kind: order.kind });
      case 'hush':
        return this.hush();
      case 'hangUp':
        return this.options.hangUp();
      case 'setTimer':
        return this.setTimer(order.timer, order.afterMs);
      case 'clearTimer':
        clearTimeout(this.timers.get(order.timer));
        this.timers.delete(order.timer);
        return;
      case 'tell':
        return this.tell(order, nowMs);
      case 'ignore':
        return;
    }
  }

  private openRecognition({ recognition, fromMs }: OrderOf<'openRecognition'>): void {
    const abort = new AbortController();
    const { stt } = this.options.lineup;
    const stream = stt.open({ profile: this.options.profile, talk: this.options.id, signal: abort.signal });
    this.hearings.set(recognition, { stream, abort, closed: false });
    stream.push(this.sound.since(fromMs));
    void this.listenTo(recognition, stream, fromMs);
  }

  private async listenTo(recognition: number, stream: SttStream, fromMs: number): Promise<void> {
    try {
      for await (const event of stream.events) {
        const words = event.words.map((word) => ({
          ...word,
          fromMs: word.fromMs + fromMs,
          toMs: word.toMs + fromMs,
        }));
        if (event.kind === 'partial') this.happen({ kind: 'partial', recognition, words });
        else this.happen({ kind: 'final', recognition, words, alternatives: event.alternatives });
      }
    } catch (error) {
      this.happen({ kind: 'recognitionTrouble', recognition, ...this.troubleOf(error) });
    } finally {
      this.hearings.delete(recognition);
    }
  }

  private closeRecognition(recognition: number): void {
    const hearing = this.hearings.get(recognition);
    if (!hearing) return;
    hearing.closed = true;
    hearing.stream.finish();
  }

  private stop(hearings: Map<number, Hearing>, id: number): void {
    hearings.get(id)?.abort.abort();
    hearings.delete(id);
  }

  private abort(running: Map<number, AbortController>, id: number): void {
    running.get(id)?.abort();
    running.delete(id);
  }

  private async think({ thought, persona, messages, answers, language }: OrderOf<'think'>): Promise<void> {
    const abort = new AbortController();
    this.thoughts.set(thought, abort);
    const { llm } = this.options.lineup;
    try {
      for await (const event of llm.think({
        persona,
        messages,
        answers,
        language,
        talk: this.options.id,
        signal: abort.signal,
      })) {
        if (event.kind === 'piece') this.happen({ kind: 'piece', thought, text: event.text });
      }
      if (!abort.signal.aborted) this.happen({ kind: 'thoughtDone', thought });
    } catch (error) {
      if (!abort.signal.aborted) this.happen({ kind: 'thoughtTrouble', thought, ...this.troubleOf(error) });
    } finally {
      this.thoughts.delete(thought);
    }
  }

  private async synthesise({ speech, text, pauseMs, rate }: OrderOf<'synthesise'>): Promise<void> {
    const abort = new AbortController();
    this.syntheses.set(speech, abort);
    const resampler = new Resampler(HOUSE_RATE_HZ, this.options.rateHz);
    let count = 0;
    let words: WordTime[] | null = null;
    const happen = (done: boolean) => {
      const audioMs = msOfSamples(count, HOUSE_RATE_HZ);
      const known = words ?? estimateWordTimes(text, audioMs);
      this.happen({ kind: 'audio', speech, audioMs, words: known, estimated: words === null, done });
    };
    try {
      for await (const event of this.options.lineup.tts.speak({
        text,
        voice: { ...this.options.voice, rate: rate * (this.options.voice.rate ?? 1) },
        signal: abort.signal,
      })) {
        if (abort.signal.aborted) return;
        count += event.samples.length;
        words = event.words ?? words;
        this.lane.add(speech, event.samples);
        happen(false);
        this.offer(speech, toPcm16(resampler.push(toFloats(event.samples))), false);
      }
      if (abort.signal.aborted) return;
      const pause = new Int16Array(count > 0 ? samplesOfMs(pauseMs, HOUSE_RATE_HZ) : 0);
      count += pause.length;
      this.lane.add(speech, pause);
      const tail = [resampler.push(toFloats(pause)), resampler.flush()];
      happen(true);
      tail.forEach((floats, i) => this.offer(speech, toPcm16(floats), i === tail.length - 1));
    } catch (error) {
      if (!abort.signal.aborted) this.happen({ kind: 'synthesisTrouble', speech, ...this.troubleOf(error) });
    } finally {
      this.syntheses.delete(speech);
    }
  }

  /** Sound of a phrase: to the line if it is its turn, else it waits for the order. */
  private offer(speech: number, samples: Int16Array, complete: boolean): void {
    if (this.playing.has(speech)) return this.pacer.add(speech, samples, complete);
    const parts = this.ready.get(speech) ?? [];
    parts.push({ samples, complete });
    this.ready.set(speech, parts);
  }

  private play(speech: number): void {
    this.playing.add(speech);
    this.pacer.play(speech);
    for (const { samples, complete } of this.ready.get(speech) ?? [])
      this.pacer.add(speech, samples, complete);
    this.ready.delete(speech);
  }

  private hush(): void {
    this.pacer.stop();
    this.ready.clear();
    this.playing.clear();
    this.lane.hush();
    this.send({ kind: 'hush' });
  }

  private setTimer(timer: number, afterMs: number): void {
    const ring = () => {
      this.timers.delete(timer);
      this.happen({ kind: 'rang', timer });
    };
    this.timers.set(timer, setTimeout(ring, afterMs));
  }

  private tell({ message }: OrderOf<'tell'>, nowMs: number): void {
    if (message.kind === 'trouble') {
      const { title, remedy } = PROBLEMS[isProblemCode(message.code) ? message.code : 'internal'];
      this.options.log.warn({ talk: this.options.id, code: message.code, detail: message.detail }, title);
      return this.send({ ...message, title, remedy });
    }
    if (message.kind === 'turn') {
      this.options.record.turn(message.report);
      this.lane.clear();
    }
    this.options.send({ ...message, atMs: nowMs } as ServiceMessage);
  }

  private troubleOf(error: unknown): { code: string; detail: string } {
    if (error instanceof EngineFault) return { code: error.code, detail: error.detail };
    this.options.log.error(error);
    return { code: 'internal', detail: error instanceof Error ? error.message : String(error) };
  }
}
