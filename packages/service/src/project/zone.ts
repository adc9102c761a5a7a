/**
 * Where days and times of callers are meant: zones of the IANA database, and what is wrong with one that is
 * none.
 */
import { Fault } from '@verbalon/core';
import type { ProjectFile } from '@verbalon/protocol';

/** The zone of the project's file; the machine's own where it gives none. */
export const zoneOf = (file: ProjectFile): string =>
  file.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone;

/** What is wrong with the zone of a project's file. */
export function zoneFaults({ zone }: ProjectFile): Fault[] {
  if (zone === undefined || isZone(zone)) return [];
  const near = nearestZone(zone);
  const remedy = near === null ? 'write one such as Europe/Vienna' : `write "zone: ${near}"`;
  return [new Fault('file-broken', `"${zone}" is no zone of the IANA database: ${remedy}`, '/zone')];
}

function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return true;
  } catch {
    return false;
  }
}

/**
 * A name of a place must have at least so much in common with what was written, as a share of its letters.
 */
const LEAST_ALIKE = 0.6;

/** "London", "europe london" and "Europe/Lodnon" are Europe/London. */
function nearestZone(written: string): string | null {
  const plain = (text: string) => text.toLowerCase().replace(/[^a-z]/g, '');
  const placeOf = (zone: string) => plain(zone.split('/').at(-1)!);
  const alike = (zone: string) =>
    Math.max(shared(plain(written), plain(zone)), shared(placeOf(written), placeOf(zone)));
  const [best] = Intl.supportedValuesOf('timeZone')
    .map((zone) => ({ zone, alike: alike(zone) }))
    .sort((a, b) => b.alike - a.alike);
  return best && best.alike >= LEAST_ALIKE ? best.zone : null;
}

/** What share of their pairs of neighbouring letters two words have in common (S. Dice, 1945). */
function shared(a: string, b: string): number {
  const pairs = (text: string) =>
    Array.from({ length: Math.max(0, text.length - 1) }, (_, i) => text.slice(i, i + 2));
  const left = pairs(a);
  const right = pairs(b);
  const both = left.filter((pair) => right.includes(pair)).length;
  return left.length + right.length === 0 ? 0 : (2 * both) / (left.length + right.length);
}
