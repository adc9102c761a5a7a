/** How a run, or a delivery, stands: a sign for each state. */
import { Ban, Check, CircleHelp, Hourglass, Send, UserRound, X, type LucideIcon } from 'lucide-react';

const SIGNS: Readonly<Record<string, LucideIcon>> = {
  done: Check,
  sent: Check,
  failed: X,
  unsure: CircleHelp,
  cancelled: Ban,
  withdrawn: Ban,
  'handed over': UserRound,
  trying: Send,
};

/** What is not over has a glass. */
export const signOf = (state: string): LucideIcon => SIGNS[state] ?? Hourglass;

export const isBad = (state: string): boolean => state === 'failed' || state === 'unsure';
