/** In what state an engine is, in a word. */
import type { EngineSummary } from '@verbalon/protocol';

/** An engine that no lineup names is never opened: it would be "loading" for ever. */
export function engineState({
  state,
  resting,
  used,
}: Pick<EngineSummary, 'state' | 'resting' | 'used'>): string {
  if (resting) return 'resting';
  return state === 'loading' && !used ? 'not in use' : state;
}
