/** What the parts of a talk's shell share. */
import type { Plan, Stay, Unstamped } from '@verbalon/core';
import { EngineFault, type HearingProfile, type TtsRequest } from '@verbalon/engines';
import type { Logger } from 'pino';
import type { Engines } from '../../engines/registry.js';
import type { OwnStages } from '../../stages/own-stages.js';
import type { PhraseStore } from './phrase-store.js';
import type { Spending } from './spending.js';

export interface TalkContext {
  readonly id: string;
  readonly plan: Plan;
  /** What was promised of where its words and sound go. */
  readonly stay: Stay | null;
  /** Who talks, as far as the line says. */
  readonly caller?: Readonly<Record<string, unknown>> | undefined;
  readonly engines: Engines;
  readonly profile: HearingProfile | null;
  readonly voice: TtsRequest['voice'];
  readonly rateHz: number;
  readonly phrases: PhraseStore;
  readonly stages: OwnStages;
  readonly spending: Spending;
  readonly log: Logger;
  happen(what: Unstamped): void;
  /** Something went wrong that nobody foresaw: the talk ends. */
  fail(error: unknown): void;
}

/** What went wrong with an engine, as the conductor is told it. */
export function troubleOf(error: unknown, log: Logger): { code: string; detail: string } {
  if (error instanceof EngineFault) return { code: error.code, detail: error.detail };
  log.error(error);
  return { code: 'internal', detail: error instanceof Error ? error.message : String(error) };
}
