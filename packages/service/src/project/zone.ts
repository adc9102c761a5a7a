/** Where days and times of callers are meant. */
import type { Project } from './project.js';

/** Of the project's file; the machine's own where it gives none. */
export const zoneOf = ({ file }: Project): string =>
  file.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
