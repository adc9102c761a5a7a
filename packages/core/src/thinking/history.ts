/** What was said by whom, as the model sees it: roles alternate strictly, and nothing unheard is in it. */

export type Role = 'caller' | 'assistant';

export interface Entry {
  role: Role;
  text: string;
}

/** The history with one more entry; what the same side said before is continued, nothing is added for no words. */
export function addEntry(history: readonly Entry[], role: Role, text: string): Entry[] {
  const words = text.trim();
  if (words === '') return [...history];
  const last = history.at(-1);
  if (last?.role !== role) return [...history, { role, text: words }];
  return [...history.slice(0, -1), { role, text: `${last.text} ${words}` }];
}
