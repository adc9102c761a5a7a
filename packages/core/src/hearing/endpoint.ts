/** When is the caller's turn over? First form: after a silence as long as the assistant's leeway. */

export interface Wait {
  ms: number;
  /** For a person to read, in the journal and on the strip. */
  reason: string;
}

export function decideWait(leewayMs: number): Wait {
  return { ms: leewayMs, reason: `silence as long as the leeway of ${leewayMs} ms` };
}
