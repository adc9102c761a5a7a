/**
 * What the words of a turn mean to the assistant's errands, and what the line is told of it. Nothing is begun
 * or done here.
 */
import type { Run, RunEnding } from '../../errands/contract.js';
import type { Cause } from '../contract/causes.js';
import type { ErrandTold } from '../contract/orders.js';
import type { Desk } from '../state/desk.js';
import { errandsIn } from '../state/errands.js';
import { heard } from '../state/errand-reading.js';
import { turnText, type Turn } from '../state/turn.js';

/** Would the words so far be answered by an errand, and not by a model? */
export function takes(desk: Desk, turn: Turn): boolean {
  const step = heard(desk, turn, turnText(desk.plan, turn));
  return step !== null && step.move.do !== 'pass' && step.move.do !== 'answer';
}

/**
 * While the caller speaks: what the words so far come to is told as provisional, and how the run stands does
 * not change by it.
 */
export function tellProvisional(desk: Desk): void {
  const { turn, errands } = desk.state;
  if (!turn || desk.plan.purpose !== 'talk') return;
  const step = heard(desk, turn, turnText(desk.plan, turn));
  if (!step) return;
  const run = step.errands.current;
  const standing = errands.current;
  if (!run || step.move.do === 'pass' || run.stage === 'taking up') return tellStanding(desk);
  const isSame = standing?.run === run.run;
  const { stage, asking } = isSame ? standing : { stage: 'asking' as const, asking: null };
  tell(desk, { ...toldOf(desk, run, isSame ? standing : null), stage, asking, provisional: true }, WORDS);
}

const WORDS: Cause = { kind: 'errandWords' };

/** Told only when it is something else than before. */
function tell(desk: Desk, told: ErrandTold, cause: Cause): void {
  const text = JSON.stringify(told);
  if (text === desk.state.errandTold) return;
  desk.state.errandTold = text;
  desk.tell(told, cause);
}

/** How a run stands, or ended. */
export function tellRun(desk: Desk, run: Run, stage: ErrandTold['stage'] = run.stage): void {
  const told = { ...toldOf(desk, run, run), stage };
  tell(desk, told, isEnding(stage) ? { kind: 'errandOver', ending: stage } : WORDS);
}

/** @param settled the run as it stands: what it does not hold is provisional */
function toldOf(desk: Desk, run: Run, settled: Run | null): ErrandTold {
  const errand = errandsIn(desk.plan)?.get(run.errand);
  const slots = Object.entries(run.slots).map(([name, { value, text, fromMs, toMs }]) => ({
    name,
    value,
    text,
    settled: settled?.slots[name]?.value === value,
    ...(fromMs === undefined || toMs === undefined ? {} : { fromMs, toMs }),
  }));
  const { run: id, asking, stage } = run;
  const title = errand?.title ?? run.errand;
  return { kind: 'errand', run: id, errand: run.errand, title, stage, provisional: false, asking, slots };
}

/** Provisional words came to nothing: it stands as it stood. */
export function tellStanding(desk: Desk): void {
  const { current } = desk.state.errands;
  const { errandTold } = desk.state;
  if (current) return tellRun(desk, current);
  const last = errandTold === '' ? null : (JSON.parse(errandTold) as ErrandTold);
  // It was begun by words that were none.
  if (last && !isEnding(last.stage)) tell(desk, { ...last, stage: 'cancelled', slots: [] }, WORDS);
}

/** The errands of a talk that ends, but for what is being done. */
export function leaveAll(desk: Desk): void {
  const { errands } = desk.state;
  const { current, parked } = errands;
  for (const run of [parked, current]) if (run && run.stage !== 'doing') tellRun(desk, run, 'cancelled');
  const going = current?.stage === 'doing' ? current : null;
  desk.state.errands = { ...errands, parked: null, later: [], current: going };
}

const isEnding = (stage: ErrandTold['stage']): stage is RunEnding =>
  stage === 'done' ||
  stage === 'failed' ||
  stage === 'unsure' ||
  stage === 'cancelled' ||
  stage === 'handed over';
