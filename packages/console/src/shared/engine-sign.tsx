/** An engine's state as a sign and a word. */
import { CircleCheck, CircleDashed, CircleX } from 'lucide-react';
import type { LineupEntry } from '@verbalon/protocol';

const ENGINE_SIGNS = {
  ready: { Sign: CircleCheck, look: 'text-success' },
  loading: { Sign: CircleDashed, look: 'text-warning' },
  down: { Sign: CircleX, look: 'text-error' },
} as const;

export const ROLE_WORDS = { stt: 'hears', llm: 'thinks', tts: 'speaks' } as const;
export const WHERE_WORDS = { 'on-machine': 'this machine', cloud: 'a cloud' } as const;

export function EngineSign({ state }: { state: LineupEntry['state'] }) {
  const { Sign, look } = ENGINE_SIGNS[state];
  return <Sign size={14} className={`${look} shrink-0`} aria-hidden />;
}
