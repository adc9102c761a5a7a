/**
 * A page whose origin nobody named is told nothing of use by its browser: whoever owns it finds in the audit
 * what is missing.
 */
import type { IncomingMessage } from 'node:http';
import { ProblemError } from '../problems/problems.js';
import type { Audit } from './audit.js';

export function noteForeign(
  error: unknown,
  { headers }: IncomingMessage,
  address: string,
  audit: Audit,
): void {
  if (!(error instanceof ProblemError) || error.code !== 'origin-foreign') return;
  const origin = String(headers.origin).slice(0, 200);
  const about = `origin ${origin} was refused: add it to "origins" in assistants/NAME.yaml`;
  audit.note({ who: 'nobody', address, what: 'enter', about, status: 403 });
}
