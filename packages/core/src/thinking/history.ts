/**
 * What was said by whom, as the model sees it: what is said alternates strictly, and nothing unheard is in
 * it.
 */

export type Role = 'caller' | 'assistant';

/** Something that a model may ask to be done. */
export interface CallableFunction {
  name: string;
  /** What it is for, in words for the model. */
  about: string;
  /** JSON Schema of its arguments. */
  parameters: Readonly<Record<string, unknown>>;
}

/** A model wants a function called. */
export interface Call {
  /** Names it among the calls of the talk, as the model says it. */
  id: string;
  name: string;
  /** JSON; where the model wrote none, the text that it wrote. */
  arguments: unknown;
}

/**
 * `result`: what a call has given, told to the model. The calls of the assistant are each followed by their
 * results.
 */
export type Entry =
  | { role: 'caller'; text: string }
  | { role: 'assistant'; text: string; calls?: readonly Call[] }
  | { role: 'result'; text: string; call: string; name: string };

/**
 * The history with one more entry; what the same side said before is continued, nothing is added for no
 * words.
 */
export function addEntry(history: readonly Entry[], role: Role, text: string): Entry[] {
  const words = text.trim();
  if (words === '') return [...history];
  const last = history.at(-1);
  if (last?.role !== role || (last.role === 'assistant' && last.calls))
    return [...history, { role, text: words }];
  return [...history.slice(0, -1), { role, text: `${last.text} ${words}` }];
}

/**
 * The history with calls, and what each of them gave. `text`: what was written before them; without any they
 * belong to what was said last.
 */
export function addCalls(
  history: readonly Entry[],
  text: string,
  calls: readonly Call[],
  results: readonly string[],
): Entry[] {
  const given = calls.map(({ id, name }, i): Entry => ({
    role: 'result',
    text: results[i] ?? '',
    call: id,
    name,
  }));
  const last = history.at(-1);
  if (text.trim() === '' && last?.role === 'assistant' && !last.calls)
    return [...history.slice(0, -1), { ...last, calls }, ...given];
  return [...history, { role: 'assistant', text: text.trim(), calls }, ...given];
}

/** For a model that knows no calls: only what was said. */
export function withoutCalls(history: readonly Entry[]): Entry[] {
  return history.reduce<Entry[]>(
    (said, entry) => (entry.role === 'result' ? said : addEntry(said, entry.role, entry.text)),
    [],
  );
}

/** So often in an answer a model may call functions before it says something. */
export const MOST_ROUNDS = 4;

/** What a model is told that calls what there is not. */
export const noSuchFunction = (name: string): string => `There is no function "${name}". Answer without it.`;
