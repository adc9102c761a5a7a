/**
 * The one gate of everything that leaves the service, but for engines (their guard) and callers' own lines:
 * errands, messages, hand-over, look-ups, stages, telephones that are rung. Whoever sends asks it. An
 * assistant that stays on the machine has its callers' words go nowhere else.
 */
import { isThisMachine, type Stay } from '@verbalon/core';

/** Of somebody's words, where they may go. */
export type StayOf = Stay | null;

/** Why nothing may go to this host, or null. */
export function whyNotOut(stay: StayOf, host: string): string | null {
  return stay === 'on-machine' && !isThisMachine(host)
    ? `${host} is elsewhere, and this assistant stays on the machine`
    : null;
}

/** Asks an address. @throws Error where it may not be asked, and what fetch throws */
export async function askOutside(stay: StayOf, url: URL | string, init: RequestInit): Promise<Response> {
  const why = whyNotOut(stay, new URL(url).hostname);
  if (why !== null) throw new Error(why);
  return fetch(url, init);
}
