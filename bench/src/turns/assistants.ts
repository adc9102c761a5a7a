/**
 * The assistants of the bench: the demo's own, and others, each with what its callers say and what it
 * expects.
 */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Plan } from '@verbalon/core';
import type { HearingProfile } from '@verbalon/engines';
import { copyDemo } from '@verbalon/hostile';
import { Project } from '@verbalon/service';
import { stringify } from 'yaml';
import { OTHER_DOMAINS, type Domain } from './domains.js';
import { hutsOf, type Half } from './sentences.js';

export interface BenchAssistant {
  name: string;
  /** The caller speaks first, and it says no greeting. */
  plan: Plan;
  profile: HearingProfile | null;
  domain: Pick<Domain, 'slots' | 'sayings'>;
}

/** The assistants of this half: the huts', and two others. */
export function assistantsOf(half: Half): BenchAssistant[] {
  const root = fileURLToPath(new URL('../../..', import.meta.url));
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-bench-'));
  copyDemo(root, folder);
  const others: Record<string, Domain> = OTHER_DOMAINS[half];
  for (const [name, { expect }] of Object.entries(others)) {
    const file = {
      title: name,
      language: 'en',
      persona: 'You help.',
      lineup: { stt: 'ears', llm: 'thinker', tts: 'voice' },
      manners: { leewayMs: 800 },
      ...(expect ? { expect } : {}),
    };
    writeFileSync(join(folder, 'assistants', `${name}.yaml`), stringify(file));
  }
  const project = new Project(folder);
  const named = (name: string, domain: BenchAssistant['domain']): BenchAssistant => {
    const { plan: own, profile } = project.assistant(name);
    const manners = { ...own.manners, speaksFirst: 'caller' as const, firstWordMs: 0 };
    return { name, plan: { ...own, greeting: '', manners }, profile, domain };
  };
  const all = [
    named('tansy', hutsOf(half)),
    ...Object.entries(others).map(([name, domain]) => named(name, domain)),
  ];
  rmSync(folder, { recursive: true, force: true });
  return all;
}
