/** The assistant's voice as an engine has it. */
import type { TtsRequest } from '@verbalon/engines';
import type { Engines } from '../../engines/registry.js';

/**
 * What the lineup gives the engine, else the assistant's own; where it has none of that name, its own first
 * one.
 */
export function voiceFor(
  engines: Engines,
  engine: string,
  { name, ...dials }: TtsRequest['voice'],
  rate: number,
): TtsRequest['voice'] {
  const voice = { ...dials, rate: rate * (dials.rate ?? 1) };
  const wanted = engines.voice(engine) ?? name;
  return wanted !== undefined && engines.of('tts', engine).voices.includes(wanted)
    ? { ...voice, name: wanted }
    : voice;
}
