/** Whatever can happen: random rows of happenings, of which each could really come where it comes. */
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { plan, Stage, WORD_MS } from './stage.js';

/** A world around the conductor in which only what can happen happens; `choice` picks among it. */
class World {
  readonly stage = new Stage({
    ...plan,
    greeting: 'Hello there.',
    manners: { ...plan.manners, first: 'assistant', firstWordMs: 5_000, sureness: 0.3 },
  });
  private voice: { atMs: number } | null = null;
  private down = false;
  private readonly sung = new Map<number, number>();

  /** Ids of one kind that were opened and neither finished nor dropped. */
  open(
    opened: 'openRecognition' | 'think' | 'synthesise',
    dropped: 'dropRecognition' | 'dropThought' | 'dropSynthesis',
  ): number[] {
    const idOf = (order: object) => Object.values(order).find((value) => typeof value === 'number') as number;
    const gone = new Set([...this.stage.all(dropped).map(idOf), ...this.finished]);
    return this.stage
      .all(opened)
      .map(idOf)
      .filter((id) => !gone.has(id));
  }
  readonly finished = new Set<number>();

  step(choice: number, amount: number): void {
    const { stage } = this;
    const ms = 20 + (amount % 900);
    const options: (() => void)[] = [() => stage.wait(ms * 4)];
    if (this.voice)
      options.push(
        () => this.endVoice(ms),
        () => stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: ms, pitchedMs: ms }),
      );
    else options.push(() => this.beginVoice());
    options.push(
      () => this.key(),
      () => stage.happen({ kind: amount % 5 === 0 ? 'freshAsked' : 'hushAsked' }),
    );
    options.push(
      () => stage.happen({ kind: 'typed', text: 'and breakfast' }),
      () => stage.happen({ kind: 'floorSet', floor: amount % 2 ? 'open' : 'press' }),
    );
    const callers = options.length;
    for (const recognition of this.open('openRecognition', 'dropRecognition'))
      options.push(() => this.recognise(recognition, amount));
    for (const thought of this.open('think', 'dropThought')) options.push(() => this.write(thought, amount));
    for (const speech of this.open('synthesise', 'dropSynthesis'))
      options.push(() => this.sing(speech, amount));
    for (const { speech } of stage.all('play'))
      if (!this.finished.has(-speech)) options.push(() => this.play(speech, ms));
    // What engines and the line have to do comes more often than what the caller does.
    const due = options.slice(callers);
    options.push(...due, ...due);
    options[choice % options.length]!();
  }

  private beginVoice(): void {
    this.voice = { atMs: this.stage.nowMs };
    this.stage.happen({ kind: 'voiceBegan', atMs: this.stage.nowMs });
  }

  private endVoice(ms: number): void {
    this.stage.nowMs += ms;
    this.stage.happen({
      kind: 'voiceEnded',
      atMs: this.stage.nowMs,
      voicedMs: this.stage.nowMs - this.voice!.atMs,
      pitchedMs: this.stage.nowMs - this.voice!.atMs,
    });
    this.voice = null;
  }

  private key(): void {
    this.stage.happen({ kind: this.down ? 'released' : 'pressed', atMs: this.stage.nowMs });
    this.down = !this.down;
  }

  private recognise(recognition: number, amount: number): void {
    const closed = this.stage.all('closeRecognition').some((order) => order.recognition === recognition);
    const texts = [
      'goodbye',
      'bye',
      'thank you goodbye',
      'hut',
      'is the path open',
      'please start over',
      '',
      'shorter',
      'goodbye',
      'yes',
      'no',
    ];
    const words = texts[amount % texts.length]!.split(' ').filter(Boolean);
    const heard = words.map((one) => ({
      word: one,
      fromMs: 0,
      toMs: 1,
      confidence: amount % 3 === 0 ? 0.1 : 0.9,
    }));
    if (!closed) return void this.stage.happen({ kind: 'partial', recognition, words: heard });
    this.finished.add(recognition);
    if (amount % 7 === 0)
      this.stage.happen({ kind: 'recognitionTrouble', recognition, code: 'engine-down', detail: '' });
    else this.stage.happen({ kind: 'final', recognition, words: heard, alternatives: [] });
  }

  private write(thought: number, amount: number): void {
    if (amount % 3 > 0)
      return void this.stage.happen({ kind: 'piece', thought, text: 'One two, three four five. ' });
    this.finished.add(thought);
    if (amount % 2) this.stage.happen({ kind: 'thoughtDone', thought });
    else this.stage.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: '' });
  }

  private sing(speech: number, amount: number): void {
    this.finished.add(speech);
    if (amount % 9 === 0)
      return void this.stage.happen({ kind: 'synthesisTrouble', speech, code: 'engine-down', detail: '' });
    const { text } = this.stage.all('synthesise').find((order) => order.speech === speech)!;
    const words = text.split(' ').map((one, i) => ({ word: one, endMs: (i + 1) * WORD_MS }));
    this.sung.set(speech, words.length * WORD_MS);
    this.stage.happen({
      kind: 'audio',
      speech,
      audioMs: words.length * WORD_MS,
      words,
      estimated: false,
      done: true,
    });
  }

  private play(speech: number, ms: number): void {
    const whole = this.sung.get(speech) ?? 0;
    const hushed = typeof this.stage.conductor.snapshot().reply?.hushed === 'string';
    if (!hushed && ms % 3 === 0) this.finished.add(-speech);
    const playedMs = !hushed && ms % 3 === 0 ? whole : Math.min(whole, ms);
    this.played.set(speech, Math.max(this.played.get(speech) ?? 0, playedMs));
    this.stage.play(speech, playedMs, hushed);
  }
  private readonly played = new Map<number, number>();

  /** So many words were really played; 2 ms are forgiven at the end of a phrase. */
  get heardWords(): number {
    return [...this.played.values()].reduce((sum, ms) => sum + Math.floor((ms + 2) / WORD_MS), 0);
  }
}

describe('whatever can happen', () => {
  it('roles alternate, only what was played is remembered, no order is for something that has ended, every timer is answered, and the talk can go on', () => {
    const seen = new Map<string, number>();
    fc.assert(
      fc.property(
        fc.noBias(fc.array(fc.tuple(fc.nat(1_000), fc.nat(10_000)), { maxLength: 40, size: 'max' })),
        (steps) => {
          const world = new World();
          const { stage } = world;
          for (const [choice, amount] of steps) world.step(choice, amount);
          checkOrders(stage);
          const { history, ended } = stage.conductor.snapshot();
          history.forEach((entry, i) => expect(entry.role).not.toBe(history[i - 1]?.role));
          const remembered = history
            .filter(({ role }) => role === 'assistant')
            .flatMap(({ text }) => text.split(' '));
          expect(remembered.length).toBeLessThanOrEqual(world.heardWords);
          stage.orders.forEach(({ kind }) => seen.set(kind, (seen.get(kind) ?? 0) + 1));
          if (ended) return;
          stage.happen({ kind: 'freshAsked' });
          stage.happen({ kind: 'floorSet', floor: 'open' });
          stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 0, pitchedMs: 0 });
          stage.wait(10_000);
          stage.happen({ kind: 'typed', text: 'are you there' });
          stage.wait(10_000);
          if (!stage.conductor.snapshot().ended)
            expect(stage.last('think').messages.at(-1)!.text).toContain('are you there');
        },
      ),
      { numRuns: 10_000, seed: 11 },
    );
    // The rows reach everything that the conductor can order.
    for (const kind of [
      'think',
      'dropThought',
      'synthesise',
      'dropSynthesis',
      'play',
      'duck',
      'hush',
      'hangUp',
      'closeRecognition',
      'dropRecognition',
      'ignore',
    ])
      expect([kind, (seen.get(kind) ?? 0) > 100]).toEqual([kind, true]);
  });
});

/** No order is for an id that has ended, and every timer that was set is cleared, has rung, or is still known. */
function checkOrders(stage: Stage): void {
  const ended = new Set<number>();
  const timers = new Set<number>();
  for (const order of stage.orders) {
    if (order.kind === 'dropRecognition' || order.kind === 'closeRecognition')
      expect(ended.has(order.recognition)).toBe(false);
    if (order.kind === 'dropRecognition') ended.add(order.recognition);
    if (order.kind === 'dropThought') expect(ended.has(order.thought)).toBe(false);
    if (order.kind === 'dropThought') ended.add(order.thought);
    if (order.kind === 'play' || order.kind === 'dropSynthesis') expect(ended.has(order.speech)).toBe(false);
    if (order.kind === 'dropSynthesis') ended.add(order.speech);
    if (order.kind === 'setTimer') timers.add(order.timer);
    if (order.kind === 'clearTimer') expect(timers.delete(order.timer)).toBe(true);
  }
  for (const timer of stage.rung) timers.delete(timer);
  expect([...timers].sort()).toEqual(Object.values(stage.conductor.snapshot().timers).sort());
}
