/** Engines as callers and developers are shown them. */
import { ENGINE_ROLES } from '@verbalon/core';
import type { EngineSummary, LineupEntry, VoiceSummary } from '@verbalon/protocol';
import type { Assistant } from '../project/events.js';
import type { EngineRegistry } from './registry.js';

/** How the engines of a lineup are just now. */
export function lineupStates(engines: EngineRegistry, { plan }: Assistant): LineupEntry[] {
  return ENGINE_ROLES.flatMap((role) =>
    plan.lineup[role].map((name) => {
      const engine = engines.opened.get(name)?.engine;
      if (!engine) return { role, engine: name, where: 'on-machine' as const, state: 'loading' as const };
      return { role, engine: name, where: engine.where, ...engine.readiness() };
    }),
  );
}

/** All of them, as they are just now. @param isUsed does an assistant name it? */
export function engineSummaries(
  { opened }: EngineRegistry,
  isUsed: (engine: string) => boolean,
): EngineSummary[] {
  return [...opened].map(([name, { engine, card }]) => {
    const { health } = engine.guard;
    return {
      name,
      title: engine.title,
      role: engine.role,
      where: engine.where,
      languages: [...engine.languages],
      ...(card?.region === undefined ? {} : { region: card.region }),
      ...(card?.prices === undefined ? {} : { prices: card.prices }),
      usualFirstMs: health.usualFirstMs === null ? null : Math.round(health.usualFirstMs),
      resting: engine.guard.resting(),
      used: isUsed(name),
      ...engine.readiness(),
    };
  });
}

export function voiceSummaries({ opened }: EngineRegistry, assistants: readonly Assistant[]): VoiceSummary[] {
  return [...opened].flatMap(([name, { engine }]) => {
    if (engine.role !== 'tts') return [];
    const speakers = assistants.filter(({ plan }) => plan.lineup.tts[0] === name);
    return engine.voices.map((voice) => ({
      engine: name,
      name: voice,
      languages: [...engine.languages],
      usedBy: speakers
        .filter(({ file }) => (file.voice?.name ?? engine.voices[0]) === voice)
        .map((one) => one.name),
    }));
  });
}

/**
 * Why nobody could be served by this assistant just now: for each role without an engine that is ready, what
 * each says.
 */
export function missingFor({ opened }: EngineRegistry, { plan }: Assistant): string[] {
  const why = (name: string): string | null => {
    const engine = opened.get(name)?.engine;
    const readiness = engine?.readiness();
    if (!engine || readiness?.state !== 'ready')
      return `${name} is ${readiness?.state === 'down' ? `down: ${readiness.why}` : 'loading'}`;
    const resting = engine.guard.resting();
    return resting === null ? null : `${name} is left alone: ${resting}`;
  };
  return ENGINE_ROLES.flatMap((role) => {
    const reasons = plan.lineup[role].map(why);
    return reasons.includes(null) ? [] : [`${role}: ${reasons.join('; ')}`];
  });
}
