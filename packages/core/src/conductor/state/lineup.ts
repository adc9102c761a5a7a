/** Which engines serve. */
import { nextEngine } from '../../lineup/choose.js';
import type { EngineRole, Serving } from '../../vocabulary/engines.js';

/** Stands for whatever engine once spoke a text that was kept as sound. */
export const KEPT_SOUND = 'kept';

export interface LineupState {
  /** Engines by role as they are wanted now. */
  order: Record<EngineRole, string[]>;
  /** Those that are to be left alone, with the reason. */
  resting: Record<string, string>;
}

export function newLineup(): LineupState {
  return { order: { stt: [], llm: [], tts: [] }, resting: {} };
}

/** The engine that is to serve next; null where all were tried. */
export function engineFor(
  { order, resting }: LineupState,
  role: EngineRole,
  tried: readonly string[] = [],
): string | null {
  return nextEngine(order[role], resting, tried);
}

/** The last of those that are tried serves: as an order says it. */
export function serving(lineup: LineupState, role: EngineRole, tried: readonly string[]): Serving {
  return { engine: tried.at(-1)!, alone: engineFor(lineup, role, tried) === null };
}
