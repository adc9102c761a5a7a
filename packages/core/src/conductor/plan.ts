/** What the conductor is told about the assistant when a caller joins. */

export interface Manners {
  /** Silence that ends the caller's turn, in ms. */
  leewayMs: number;
  /** Who speaks first when a caller joins. */
  first: 'assistant' | 'caller';
  /** How the caller may interrupt: by speaking (or by key), or by key only (then the ear is deaf while the assistant speaks). */
  interrupt: 'voice' | 'key';
  /** Silence after which the assistant rests, in ms. */
  restAfterMs: number;
  /** How long answers may be. */
  answers: 'short' | 'long';
}

export interface Plan {
  /** `listen`: words only; nothing is thought or said. */
  purpose: 'talk' | 'listen';
  persona: string;
  greeting: string;
  /** Said when no answer could be thought of because an engine failed. */
  cannotThink: string;
  manners: Manners;
}
