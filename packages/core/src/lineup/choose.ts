/** Which engines an assistant may use, and which of them is next. */
import type { EngineRole } from '../vocabulary/engines.js';
import { primaryOf } from '../vocabulary/language-tag.js';

/** Where what an engine is given goes. */
export interface Reached {
  name: string;
  /** As its card says it. */
  where: 'on-machine' | 'cloud';
  /**
   * Hosts that it is reached at; none for one that lives in a process of ours. Engines that it passes on to
   * included.
   */
  hosts: readonly string[];
}

/** What is known of an engine before it is used. */
export interface EngineFacts extends Reached {
  role: EngineRole;
  /** BCP 47. */
  languages: readonly string[];
}

/** A promise of where a caller's words and sound go. */
export type Stay = 'on-machine';

/**
 * Why this engine may not serve, or null. The card's word is not enough for `on-machine`: every address must
 * be of this machine.
 */
export function forbidden({ name, where, hosts }: Reached, stay: Stay | null | undefined): string | null {
  if (stay !== 'on-machine') return null;
  if (where !== 'on-machine') return `"${name}" runs in a cloud, and this assistant stays on the machine`;
  const away = hosts.find((host) => !isThisMachine(host));
  return away === undefined ? null : `"${name}" is at ${away}, and this assistant stays on the machine`;
}

/** Does the engine know the language? A tag stands for all its regions. */
export function speaks({ languages }: Pick<EngineFacts, 'languages'>, language: string): boolean {
  return languages.some((one) => one === '*' || primaryOf(one) === primaryOf(language));
}

/** A literal address of the loopback interface, or its name; a name that has to be looked up is none. */
export function isThisMachine(host: string): boolean {
  const bare = host.replace(/^\[|\]$/g, '').toLowerCase();
  return bare === 'localhost' || bare === '::1' || /^127\.\d{1,3}\.\d{1,3}\.\d{1,3}$/.test(bare);
}

/**
 * The next engine: the first that is not tried and not resting; then one that rests; null when all were
 * tried.
 */
export function nextEngine(
  order: readonly string[],
  resting: Readonly<Record<string, string>>,
  tried: readonly string[],
): string | null {
  const left = order.filter((name) => !tried.includes(name));
  return left.find((name) => !Object.hasOwn(resting, name)) ?? left[0] ?? null;
}
