/**
 * A stored talk through the conductor once more: with its own manners, to see that it decides the same; and
 * each of its turns with other manners, to see what would have changed. It tells about turn-taking only: the
 * caller says what was said, the engines take as long as they took, and what they would have answered nobody
 * knows.
 */
import { Conductor } from '../conductor/conductor.js';
import { inWords } from '../conductor/contract/causes.js';
import type { Happening } from '../conductor/contract/happenings.js';
import type { Order } from '../conductor/contract/orders.js';
import type { Manners } from '../conductor/contract/plan.js';
import type { TurnReport } from '../conductor/contract/report.js';
import type { State } from '../conductor/state/state.js';
import { endingsIn, isEnding, reportsIn, type Kept } from '../journal/folds.js';
import { SimulatedRecogniser } from './recogniser.js';
import { VirtualTalk } from './virtual-talk.js';

/** How a turn was taken. */
export interface Taken {
  /** From the caller's last sound to the end of the turn, in ms, and why; null where it did not end. */
  waitMs: number | null;
  reason: string;
  /** The turn was ended so often before the caller's last sound. */
  cutOffs: number;
  headStarts: { begun: number; kept: boolean };
  /** Caller's last sound to the assistant's first, with engines as fast as they were, in ms. */
  gapMs: number | null;
}

export interface ReplayedTurn {
  turn: number;
  text: string;
  voiceBeganMs: number;
  /** The caller's last sound. */
  voiceEndedMs: number;
  was: Taken;
  wouldBe: Taken;
}

export interface Replay {
  /** With its own manners every order is the same; else where the first one differs. */
  difference: string | null;
  turns: ReplayedTurn[];
}

/** A turn is followed for so long after it was over. */
const AFTERWARDS_MS = 4_000;
const TOLERANCE_MS = 30;

export function replay(journal: readonly Kept[], manners: Partial<Manners>): Replay {
  const { difference, anchors } = withOwnManners(journal);
  const happenings = journal.flatMap(({ side, body }) => (side === 'happening' ? [body as Happening] : []));
  const reports = reportsIn(journal);
  const endings = endingsIn(journal);
  const turns = reports.flatMap((report, i) => {
    const { voiceBeganMs, voiceEndedMs } = report.times;
    const anchor = voiceBeganMs === undefined ? undefined : anchors.get(voiceBeganMs);
    if (report.source !== 'voice' || !anchor || voiceBeganMs === undefined || voiceEndedMs === undefined)
      return [];
    const next =
      reports.slice(i + 1).find(({ source }) => source === 'voice')?.times.voiceBeganMs ?? Infinity;
    const untilMs = Math.min(voiceEndedMs + AFTERWARDS_MS, next);
    const taking = new TurnTaking(anchor.state, manners, happenings.slice(anchor.at), report, untilMs);
    const wouldBe = taking.run();
    const cutOffs = endings.filter((at) => at >= voiceBeganMs && at < voiceEndedMs - TOLERANCE_MS).length;
    const was = takenIn(report, cutOffs);
    return [{ turn: report.turn, text: report.text, voiceBeganMs, voiceEndedMs, was, wouldBe }];
  });
  return { difference, turns };
}

function takenIn({ wait, times, gap, headStarts }: TurnReport, cutOffs: number): Taken {
  const { endpointMs, voiceEndedMs } = times;
  const waitMs =
    endpointMs === undefined || voiceEndedMs === undefined ? null : Math.max(0, endpointMs - voiceEndedMs);
  return { waitMs, reason: wait ? inWords(wait.cause) : '', cutOffs, headStarts, gapMs: gap?.ms ?? null };
}

interface Anchor {
  state: State;
  /** Index among the happenings. */
  at: number;
}

function withOwnManners(journal: readonly Kept[]): {
  difference: string | null;
  anchors: Map<number, Anchor>;
} {
  const conductor = new Conductor();
  const anchors = new Map<number, Anchor>();
  let expected: Order[] = [];
  let difference: string | null = null;
  let at = 0;
  for (const { side, body } of journal) {
    if (side === 'order') {
      const order = expected.shift();
      if (difference === null && plainly(order) !== plainly(body))
        difference = `after happening ${at}: "${(body as Order).kind}" was ordered, now "${order?.kind ?? 'nothing'}"`;
      continue;
    }
    if (difference === null && expected.length > 0)
      difference = `after happening ${at}: "${expected[0]!.kind}" is ordered now, and was not`;
    const happening = body as Happening;
    if (happening.kind === 'voiceBegan') anchors.set(happening.atMs, { state: conductor.snapshot(), at });
    expected = conductor.conduct(happening);
    at++;
  }
  return { difference, anchors };
}

/** As text that does not depend on the order of keys. */
function plainly(value: unknown): string {
  return JSON.stringify(value, (_, one: unknown) =>
    one !== null && typeof one === 'object' && !Array.isArray(one)
      ? Object.fromEntries(Object.entries(one).sort(([a], [b]) => (a < b ? -1 : 1)))
      : one,
  );
}

/** One recorded turn with other manners, from the state in which it began. */
class TurnTaking {
  private readonly talk: VirtualTalk;
  private readonly recogniser: SimulatedRecogniser;
  private endings: { atMs: number; reason: string }[] = [];
  private thoughts: { thought: number; ahead: boolean; dropped: boolean }[] = [];
  private soundMs: number | null = null;

  constructor(
    state: State,
    manners: Partial<Manners>,
    happenings: readonly Happening[],
    private readonly report: TurnReport,
    private readonly untilMs: number,
  ) {
    const plan = state.plan!;
    const its = happenings.filter(({ nowMs }) => nowMs <= untilMs);
    this.talk = new VirtualTalk(
      (order) => this.carryOut(order),
      new Conductor({ ...state, plan: { ...plan, manners: { ...plan.manners, ...manners } } }),
      Object.values(state.timers),
    );
    const finals = its.flatMap((one) => (one.kind === 'final' ? one.words : []));
    this.recogniser = new SimulatedRecogniser(this.talk, finals);
    for (const one of its) {
      const again =
        one.kind === 'partial' || one.kind === 'final'
          ? () => this.recogniser.partial(one.words)
          : isTheCallers(one)
            ? () => this.talk.happen(one)
            : null;
      if (again) this.talk.at(one.nowMs, again);
    }
  }

  run(): Taken {
    this.talk.run(this.untilMs, () => this.soundMs !== null);
    const lastMs = this.report.times.voiceEndedMs!;
    const early = this.endings.filter(({ atMs }) => atMs < lastMs - TOLERANCE_MS);
    const end = this.endings.find(({ atMs }) => atMs >= lastMs - TOLERANCE_MS);
    const ahead = this.thoughts.filter((one) => one.ahead);
    return {
      waitMs: end ? Math.round(end.atMs - lastMs) : null,
      reason: end?.reason ?? 'it did not end',
      cutOffs: early.length,
      headStarts: { begun: ahead.length, kept: ahead.some(({ dropped }) => !dropped) },
      gapMs: this.soundMs === null || this.soundMs < lastMs ? null : Math.round(this.soundMs - lastMs),
    };
  }

  private carryOut(order: Order): void {
    const { talk } = this;
    const { nowMs } = talk;
    this.recogniser.carryOut(order);
    const { times } = this.report;
    const tookMs = (from?: number, to?: number) =>
      from === undefined || to === undefined ? 0 : Math.max(0, to - from);
    switch (order.kind) {
      case 'think': {
        const { thought } = order;
        this.thoughts.push({ thought, ahead: order.purpose === 'speculative', dropped: false });
        const writtenMs = tookMs(times.thinkingMs, times.firstPhraseMs ?? times.firstPieceMs);
        return talk.at(nowMs + writtenMs, () =>
          talk.happen({ kind: 'piece', thought, text: 'What it was is not known. And' }),
        );
      }
      case 'dropThought':
        for (const one of this.thoughts) if (one.thought === order.thought) one.dropped = true;
        return;
      case 'synthesise': {
        const { speech } = order;
        const rest = { audioMs: 1_000, words: [], estimated: true, done: false };
        return talk.at(nowMs + tookMs(times.firstPhraseMs, times.firstAudioMs), () =>
          talk.happen({ kind: 'audio', speech, ...rest }),
        );
      }
      case 'play':
        this.soundMs =
          nowMs +
          tookMs(Math.max(times.firstAudioMs ?? 0, times.finalMs ?? 0, times.endpointMs ?? 0), times.soundMs);
        return;
      case 'tell':
        if (isEnding(order)) this.endings.push({ atMs: nowMs, reason: inWords(order.cause) });
        return;
      default:
    }
  }
}

function isTheCallers({ kind }: Happening): boolean {
  return /^(?:voice|pressed|released|typed|floorSet|ducked)/.test(kind);
}
