/** A stage for the conductor: a virtual clock, and engines and a line that do what a test says. */
import { Conductor } from '../../src/conductor/conductor.js';
import type { Happening, Unstamped } from '../../src/conductor/contract/happenings.js';
import type { Order, OrderOf, Told } from '../../src/conductor/contract/orders.js';
import type { Wait } from '../../src/conductor/contract/report.js';
import { USUAL_MANNERS, type Manners, type Plan } from '../../src/conductor/contract/plan.js';
import { languageOf } from '../../src/language/language.js';
import { VirtualTalk } from '../../src/simulation/virtual-talk.js';

export const plan: Plan = {
  purpose: 'talk',
  language: 'en',
  persona: 'You are Tansy.',
  greeting: '',
  sayings: { ...languageOf('en').sayings, cannotThink: 'I cannot think just now.' },
  names: ['Tansy', 'Heron Hut'],
  expect: { phrases: [], slots: {} },
  written: false,
  lineup: { stt: ['ears'], llm: ['mind'], tts: ['voice'] },
  manners: { ...USUAL_MANNERS, firstWordMs: 0, headStarts: 0, fillerAfterMs: 0 },
};

export function planned(manners: Partial<Manners>, other: Partial<Plan> = {}): Plan {
  return { ...plan, ...other, manners: { ...plan.manners, ...manners } };
}

export const WORD_MS = 200;
/** Longer than any wait at the end of a turn. */
export const OVER_MS = 2_100;

export class Stage {
  conductor = new Conductor();
  orders: Order[] = [];
  /** Timers that have rung. */
  rung: number[] = [];
  private readonly talk = new VirtualTalk((order) => this.orders.push(order), {
    conduct: (happening) => this.conduct(happening),
  });

  /**
   * @param kept the journal, where one is kept
   * @param follow is told of everything that happens, and what was ordered for it
   */
  constructor(
    withPlan: Plan = plan,
    private readonly kept: { side: 'happening' | 'order'; body: unknown }[] | null = null,
    private readonly follow: (happening: Happening, orders: Order[]) => void = () => undefined,
  ) {
    this.happen({ kind: 'joined', plan: withPlan });
  }

  get nowMs(): number {
    return this.talk.nowMs;
  }

  set nowMs(ms: number) {
    this.talk.nowMs = ms;
  }

  happen(what: Unstamped): Order[] {
    return this.talk.happen(what);
  }

  private conduct(happening: Happening): Order[] {
    if (happening.kind === 'rang') this.rung.push(happening.timer);
    const orders = this.conductor.conduct(happening);
    this.kept?.push({ side: 'happening', body: happening });
    for (const body of orders) this.kept?.push({ side: 'order', body });
    this.follow(happening, orders);
    return orders;
  }

  /** Time goes on; timers that are due ring. */
  wait(ms: number): void {
    const untilMs = this.nowMs + ms;
    this.talk.run(untilMs);
    this.talk.nowMs = untilMs;
  }

  all<K extends Order['kind']>(kind: K): OrderOf<K>[] {
    return this.orders.filter((order): order is OrderOf<K> => order.kind === kind);
  }

  last<K extends Order['kind']>(kind: K): OrderOf<K> {
    const found = this.all(kind).at(-1);
    if (!found) throw new Error(`no order "${kind}" was given`);
    return found;
  }

  told<K extends Told['kind']>(kind: K): Extract<Told, { kind: K }>[] {
    return this.all('tell').flatMap(({ message }) =>
      message.kind === kind ? [message as Extract<Told, { kind: K }>] : [],
    );
  }

  /** The caller says this, and stops. */
  say(text: string, confidence = 1): void {
    const from = this.nowMs;
    this.happen({ kind: 'voiceBegan', atMs: from });
    const { recognition } = this.last('openRecognition');
    this.nowMs += Math.max(1, text.split(' ').length) * WORD_MS;
    const to = this.nowMs;
    this.nowMs += 280;
    this.happen({ kind: 'voiceEnded', atMs: to, voicedMs: to - from, pitchedMs: to - from });
    this.heard(recognition, text, confidence);
  }

  /** The caller says this and pauses, and the final words are there. @returns the wait that was decided on */
  pauseAfter(say: (recognition: number) => void): Wait | null {
    this.happen({ kind: 'voiceBegan', atMs: this.nowMs });
    const { recognition } = this.last('openRecognition');
    this.nowMs += 800;
    const ending = { moveSt: null, placeSt: null };
    this.happen({ kind: 'voicePaused', atMs: this.nowMs, voicedMs: 800, pitchedMs: 800, ending });
    this.wait(200);
    say(recognition);
    const stage = this.conductor.snapshot().turn?.stage;
    return stage?.at === 'paused' ? stage.wait : null;
  }

  heard(recognition: number, text: string, confidence = 1): void {
    const words = text.split(' ').filter(Boolean);
    const fromMs = this.all('openRecognition').find((one) => one.recognition === recognition)?.fromMs ?? 0;
    this.happen({
      kind: 'final',
      recognition,
      words: words.map((word, i) => ({
        word,
        fromMs: fromMs + 300 + i * WORD_MS,
        toMs: fromMs + 300 + (i + 1) * WORD_MS,
        confidence,
      })),
      alternatives: [],
    });
  }

  /** The model writes this as one piece and is done. */
  write(text: string): void {
    const { thought } = this.last('think');
    this.happen({ kind: 'piece', thought, text });
    this.happen({ kind: 'thoughtDone', thought });
  }

  /** Every ordered phrase that has no sound yet gets it: each word lasts WORD_MS. */
  synthesise(): void {
    const done = new Set<number>();
    for (let next = this.unsung(done); next; next = this.unsung(done)) {
      const words = next.text.split(' ').map((word, i) => ({ word, endMs: (i + 1) * WORD_MS }));
      const audioMs = words.length * WORD_MS + next.pauseMs;
      done.add(next.speech);
      this.sung.add(next.speech);
      this.happen({ kind: 'audio', speech: next.speech, audioMs, words, estimated: false, done: true });
    }
  }

  private sung = new Set<number>();
  private unsung(done: Set<number>) {
    return this.all('synthesise').find(({ speech }) => !done.has(speech) && !this.sung.has(speech));
  }

  /** The line plays `ms` of a speech. */
  play(speech: number, ms: number, flushed = false): void {
    this.nowMs += ms;
    this.happen({ kind: 'played', speech, playedMs: ms, atMs: this.nowMs, flushed });
  }

  /** Everything that was ordered is synthesised and played to its end. */
  playAll(): void {
    const played = new Set<number>();
    for (;;) {
      this.synthesise();
      const next = this.all('play').find(({ speech }) => !played.has(speech) && !this.finished.has(speech));
      if (!next) return;
      played.add(next.speech);
      this.finished.add(next.speech);
      this.play(next.speech, 1e6);
    }
  }
  private finished = new Set<number>();

  get history() {
    return this.conductor.snapshot().history;
  }
}

/** The caller begins to speak, and recognition shows these words. */
/** The caller has said this so far, in no time; @returns the recognition */
export function begin(stage: Stage, text: string): number {
  return beginFor(stage, text, 0);
}

/** … in as long as it takes. */
export function beginAloud(stage: Stage, text: string): number {
  return beginFor(stage, text, text.split(' ').length * WORD_MS);
}

function beginFor(stage: Stage, text: string, ms: number): number {
  stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
  stage.nowMs += ms;
  const { recognition } = stage.last('openRecognition');
  show(stage, recognition, text);
  return recognition;
}

export function show(stage: Stage, recognition: number, text: string): void {
  const from = stage.nowMs;
  const words = text.split(' ').map((word, i) => ({ word, fromMs: from, toMs: from + i }));
  stage.happen({ kind: 'partial', recognition, words });
}
