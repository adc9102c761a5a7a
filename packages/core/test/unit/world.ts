/**
 * A world around the conductor in which only what can happen happens. Every kind of happening has its maker:
 * the types say so.
 */
import type { Happening, Unstamped } from '../../src/conductor/contract/happenings.js';
import {
  TIMER_OWNERS,
  type Order,
  type OrderOf,
  type TimerName,
} from '../../src/conductor/contract/orders.js';
import type { State } from '../../src/conductor/state/state.js';
import { ERRANDS } from './hut-errands.js';
import { planned, Stage, WORD_MS } from './stage.js';
import { LINEUP, mustKnow, OFTEN, PIECES, TEXTS, wordsAt, WRITTEN } from './world-words.js';

/** Draws numbers: from 0 (included) to `most` (left out). */
export type Draw = (most: number) => number;

export class World {
  readonly stage: Stage;
  private voice: { fromMs: number } | null = null;
  private keyIsDown = false;
  private readonly recognitions = new Map<number, { closed: boolean }>();
  private readonly thoughts = new Set<number>();
  /** Errands that are being done, and all that ever were. */
  private readonly doing = new Set<number>();
  private readonly did = new Set<number>();
  /** How long each phrase is by now, and whether all of it is there. */
  private readonly speeches = new Map<number, { text: string; ms: number; done: boolean }>();
  /** What the line plays, in order; and what it was playing when it was hushed, until it has said so. */
  private line: { speech: number; ms: number }[] = [];
  private hushed: { speech: number; ms: number } | null = null;
  private readonly played = new Map<number, number>();
  /** Timers that are set, with the turn or answer they were set for. */
  private readonly timers = new Map<number, TimerName>();
  ended = false;
  private isMade = false;
  readonly seen = new Map<string, number>();

  constructor(
    private readonly draw: Draw,
    private readonly check: (world: World) => void,
  ) {
    const manners = {
      speaksFirst: this.often(2) ? ('assistant' as const) : ('caller' as const),
      firstWordMs: this.often(2) ? 5_000 : 0,
      floor: this.often(5) ? ('press' as const) : ('open' as const),
      interrupt: this.often(4) ? ('words' as const) : ('voice' as const),
      headStarts: this.often(4) ? 0 : 2,
      fillerAfterMs: this.often(2) ? 900 : 0,
      askBackBelow: this.often(2) ? 0.5 : 0,
      followPace: this.often(2),
    };
    const phrases = this.often(2) ? ['is the path open [to heron hut]', 'how many bunks are free'] : [];
    const purpose = this.often(10) ? ('listen' as const) : ('talk' as const);
    const errands = this.often(2) ? { errands: ERRANDS } : {};
    const plan = planned(manners, {
      ...errands,
      purpose,
      greeting: 'Hello there.',
      lineup: LINEUP,
      expect: { phrases },
    });
    this.stage = new Stage(plan, null, (happening, orders) => this.follow(happening, orders));
    this.isMade = true;
  }

  private often(times: number): boolean {
    return this.draw(times) === 0;
  }

  /** Read only: a copy after every happening would take most of the time. */
  get state(): State {
    return this.stage.conductor['state'];
  }

  /** So many words were played; 2 ms are forgiven at the end of a phrase. */
  get heardWords(): number {
    return [...this.played.values()].reduce((sum, ms) => sum + Math.floor((ms + 2) / WORD_MS), 0);
  }

  /** Names of the timers that would ring. */
  get timerNames(): TimerName[] {
    return [...this.timers.values()];
  }

  /** What was opened and is neither finished nor dropped. */
  get open(): number {
    return (
      this.recognitions.size +
      this.thoughts.size +
      [...this.speeches.values()].filter(({ done }) => !done).length
    );
  }

  step(): void {
    const can = (Object.keys(this.makers) as Happening['kind'][]).flatMap((kind) => {
      const run = this.makers[kind]();
      // What engines and the line have to do comes more often than what the caller does.
      return run ? Array.from({ length: OFTEN[kind] ?? 1 }, () => run) : [];
    });
    can[this.draw(can.length)]!();
  }

  happen(what: Unstamped): void {
    this.stage.happen(what);
  }

  private pass(ms: number): void {
    this.stage.wait(ms);
  }

  private follow(happening: Happening, orders: readonly Order[]): void {
    if (happening.kind === 'rang') this.timers.delete(happening.timer);
    this.count(happening.kind);
    for (const order of orders) {
      if (this.ended && order.kind !== 'ignore') throw new Error(`"${order.kind}" was ordered after the end`);
      this.count(`order ${order.kind}`);
      this.carryOut(order);
    }
    // The first of them come while the stage is being made.
    if (!this.isMade) return;
    this.ended = this.state.ended;
    this.check(this);
  }

  private count(kind: string): void {
    this.seen.set(kind, (this.seen.get(kind) ?? 0) + 1);
  }

  private carryOut(order: Order): void {
    switch (order.kind) {
      case 'openRecognition':
        this.recognitions.set(order.recognition, { closed: order.toMs !== null });
        return;
      case 'closeRecognition':
        mustKnow(this.recognitions, order.recognition).closed = true;
        return;
      case 'dropRecognition':
        mustKnow(this.recognitions, order.recognition);
        this.recognitions.delete(order.recognition);
        return;
      case 'think':
        this.thoughts.add(order.thought);
        return;
      case 'doErrand':
        if (this.did.has(order.run)) throw new Error('a run is done twice');
        // Another turn may have begun over the answer.
        if (
          this.state.answers.some(({ errand, turn }) => errand.acts === order.run && turn === this.state.turn)
        )
          throw new Error('something is done for a turn that may go on');
        this.did.add(order.run);
        this.doing.add(order.run);
        return;
      case 'dropThought':
        if (!this.thoughts.delete(order.thought)) throw new Error('a thought that has ended is dropped');
        return;
      case 'synthesise':
        return this.sing(order);
      case 'dropSynthesis':
        if (mustKnow(this.speeches, order.speech).done) throw new Error('a phrase that has ended is dropped');
        this.speeches.get(order.speech)!.done = true;
        return;
      case 'play':
        this.line.push({ speech: order.speech, ms: 0 });
        return;
      case 'hush':
        this.hushed = this.line[0] ?? null;
        this.line = [];
        return;
      case 'setTimer':
        this.timers.set(order.timer, order.name);
        return;
      case 'clearTimer':
        if (!this.timers.delete(order.timer)) throw new Error(`"${order.name}" is cleared, and is not set`);
        return;
      default:
    }
  }

  private sing({ speech, text, keep }: OrderOf<'synthesise'>): void {
    this.speeches.set(speech, { text, ms: keep.ms, done: false });
  }

  private pick<T>(among: readonly T[]): T | undefined {
    return among[this.draw(Math.max(1, among.length))];
  }

  private voiceNow() {
    const { nowMs } = this.stage;
    const voicedMs = nowMs - this.voice!.fromMs;
    return { atMs: nowMs, voicedMs, pitchedMs: voicedMs * 0.8 };
  }

  /** For each kind: what it would be just now; null where it cannot happen. */
  private readonly makers: Record<Happening['kind'], () => (() => void) | null> = {
    joined: () => null,
    left: () => (this.often(150) ? () => this.happen({ kind: 'left', how: 'closed' }) : null),
    typed: () => (this.often(4) ? () => this.happen({ kind: 'typed', text: 'and breakfast' }) : null),
    keyed: () =>
      this.often(12) ? () => this.happen({ kind: 'keyed', key: this.pick([...'0123456789*#'])! }) : null,
    phoned: () =>
      this.often(30)
        ? () =>
            this.happen({ kind: 'phoned', stage: this.pick(['on hold', 'taken up'] as const)!, detail: '' })
        : null,
    notHandedOver: () => (this.often(40) ? () => this.happen({ kind: 'notHandedOver', detail: '' }) : null),
    tookOver: () => (this.often(60) ? () => this.happen({ kind: 'tookOver', name: 'the warden' }) : null),
    gaveBack: () => (this.often(20) ? () => this.happen({ kind: 'gaveBack' }) : null),
    pressed: () =>
      this.keyIsDown || !this.often(2)
        ? null
        : () => {
            this.keyIsDown = true;
            this.happen({
              kind: 'pressed',
              atMs: this.stage.nowMs,
              ...(this.often(3) ? { by: 'the guest' } : {}),
            });
          },
    released: () =>
      !this.keyIsDown
        ? null
        : () => {
            this.keyIsDown = false;
            this.happen({ kind: 'released', atMs: this.stage.nowMs });
          },
    floorSet: () =>
      this.often(8) ? () => this.happen({ kind: 'floorSet', floor: this.often(4) ? 'press' : 'open' }) : null,
    hushAsked: () => (this.often(4) ? () => this.happen({ kind: 'hushAsked' }) : null),
    freshAsked: () => (this.often(12) ? () => this.happen({ kind: 'freshAsked' }) : null),
    ducked: () => (this.often(9) ? () => this.happen({ kind: 'ducked', atMs: this.stage.nowMs }) : null),
    played: () => this.playing(),
    voiceBegan: () =>
      this.voice
        ? null
        : () => {
            this.voice = { fromMs: this.stage.nowMs };
            this.happen({ kind: 'voiceBegan', atMs: this.stage.nowMs });
          },
    voiceGoes: () =>
      !this.voice
        ? null
        : () => {
            this.pass(20 + this.draw(600));
            this.happen({ kind: 'voiceGoes', ...this.voiceNow() });
          },
    voicePaused: () =>
      !this.voice
        ? null
        : () => {
            this.happen({ kind: 'voiceGoes', ...this.voiceNow() });
            const now = this.voiceNow();
            this.pass(120);
            this.happen({
              kind: 'voicePaused',
              ...now,
              ending: this.often(2) ? { moveSt: null, placeSt: null } : { moveSt: -3, placeSt: -2 },
            });
          },
    voiceEnded: () =>
      !this.voice
        ? null
        : () => {
            const now = this.voiceNow();
            this.pass(280);
            this.voice = null;
            this.happen({ kind: 'voiceEnded', ...now });
          },
    partial: () => {
      const open = this.pick([...this.recognitions].filter(([, { closed }]) => !closed));
      return open
        ? () =>
            this.happen({
              kind: 'partial',
              recognition: open[0],
              words: wordsAt(this.stage.nowMs, this.pick(TEXTS)!),
            })
        : null;
    },
    final: () =>
      this.recognised((recognition) => {
        const words = wordsAt(this.stage.nowMs, this.pick(TEXTS)!, this.often(3) ? 0.3 : 0.95);
        this.happen({ kind: 'final', recognition, words, alternatives: [] });
      }),
    recognitionTrouble: () =>
      this.often(5)
        ? this.recognised((recognition) =>
            this.happen({ kind: 'recognitionTrouble', recognition, code: 'engine-down', detail: 'gone' }),
          )
        : null,
    piece: () => this.thinking((thought) => this.happen({ kind: 'piece', thought, text: PIECES })),
    called: () =>
      this.often(12)
        ? this.thinking((thought) =>
            this.happen({
              kind: 'called',
              thought,
              call: {
                id: 'c1',
                name: this.often(2) ? 'look-up' : 'weather',
                arguments: { hut: 'Heron Hut' },
              },
            }),
          )
        : null,
    thoughtLate: () =>
      this.often(3) ? this.thinking((thought) => this.happen({ kind: 'thoughtLate', thought })) : null,
    thoughtDone: () =>
      this.thinking((thought) => {
        this.thoughts.delete(thought);
        const closes = this.often(12) ? ('end' as const) : this.often(12) ? ('hand over' as const) : null;
        this.happen({ kind: 'thoughtDone', thought, ...(closes ? { closes } : {}) });
      }),
    thoughtTrouble: () =>
      this.often(4)
        ? this.thinking((thought) => {
            this.thoughts.delete(thought);
            this.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: 'gone' });
          })
        : null,
    audio: () =>
      this.singing((speech, one) => {
        const words = one.text.split(' ').map((word, i) => ({ word, endMs: one.ms + (i + 1) * WORD_MS }));
        const wholeMs = one.ms + words.length * WORD_MS;
        one.done = !this.often(4);
        const audioMs = one.done ? wholeMs : wholeMs - WORD_MS / 2;
        if (one.done) one.ms = wholeMs;
        this.happen({ kind: 'audio', speech, audioMs, words, estimated: !one.done, done: one.done });
      }),
    synthesisTrouble: () =>
      this.often(5)
        ? this.singing((speech, one) => {
            one.done = true;
            this.happen({ kind: 'synthesisTrouble', speech, code: 'engine-down', detail: 'gone' });
          })
        : null,
    errandDone: () => {
      const run = this.pick([...this.doing]);
      if (run === undefined) return null;
      return () => {
        this.doing.delete(run);
        const ending = this.often(3) ? ('failed' as const) : ('done' as const);
        this.happen({
          kind: 'errandDone',
          run,
          outcome: { ending, given: { number: '12', text: 'It is dry.' } },
        });
      };
    },
    wrote: () => () => this.happen({ kind: 'wrote', ...this.pick(WRITTEN)! }),
    undelivered: () =>
      this.often(30) ? () => this.happen({ kind: 'undelivered', names: ['Pavel Orsk'], unsure: [] }) : null,
    closeAsked: () =>
      this.often(200) ? () => this.happen({ kind: 'closeAsked', detail: 'it is too dear' }) : null,
    swapAsked: () =>
      this.often(9) ? () => this.happen({ kind: 'swapAsked', role: 'llm', engine: 'other-mind' }) : null,
    languageSet: () =>
      this.often(20)
        ? () => this.happen({ kind: 'languageSet', hears: 'en', speaks: 'de', lineup: LINEUP })
        : null,
    engineIs: () =>
      this.often(4)
        ? () => {
            const engine = this.pick(Object.values(LINEUP).flat())!;
            this.happen({ kind: 'engineIs', engine, resting: this.often(2) ? 'it is down' : null });
          }
        : null,
    rang: () => () => this.pass(20 + this.draw(3_000)),
  };

  private recognised(happens: (recognition: number) => void): (() => void) | null {
    const closed = this.pick([...this.recognitions].filter((one) => one[1].closed));
    if (!closed) return null;
    return () => {
      this.recognitions.delete(closed[0]);
      happens(closed[0]);
    };
  }

  private thinking(happens: (thought: number) => void): (() => void) | null {
    const thought = this.pick([...this.thoughts]);
    return thought === undefined ? null : () => happens(thought);
  }

  private singing(happens: (speech: number, one: { text: string; ms: number; done: boolean }) => void) {
    const found = this.pick([...this.speeches].filter(([, { done }]) => !done));
    return found ? () => happens(...found) : null;
  }

  private playing(): (() => void) | null {
    const { hushed } = this;
    if (hushed)
      return () => {
        this.hushed = null;
        this.report(hushed, true);
      };
    const first = this.line[0];
    if (!first) return null;
    return () => {
      this.pass(20 + this.draw(900));
      // Time may have brought a hush.
      if (this.line[0] !== first) return;
      const { ms, done } = this.speeches.get(first.speech)!;
      first.ms = Math.min(ms, first.ms + 20 + this.draw(900));
      if (done && first.ms >= ms) this.line.shift();
      this.report(first, false);
    };
  }

  private report({ speech, ms }: { speech: number; ms: number }, flushed: boolean): void {
    this.played.set(speech, ms);
    this.happen({ kind: 'played', speech, playedMs: ms, atMs: this.stage.nowMs, flushed });
  }
}

/** Timers that are set though what they were set for is over. */
export function orphanedTimers({ state, timerNames }: World): TimerName[] {
  const { turn, answers } = state;
  const current = answers.some(({ stage: { at } }) => at === 'live' || at === 'stopping');
  return timerNames.filter(
    (name) =>
      (TIMER_OWNERS[name] === 'turn' && turn === null) || (TIMER_OWNERS[name] === 'answer' && !current),
  );
}
