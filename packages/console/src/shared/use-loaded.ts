/** What the service has, read at once and kept current without a reload. */
import { useCallback, useEffect, useState } from 'react';
import { HttpClient, type Trouble } from '@verbalon/client';
import { troubleOf } from './notice.js';

export const http = new HttpClient(location.origin);

export interface Loaded<T> {
  value: T | null;
  trouble: Trouble | null;
  again: () => void;
}

/** `everyMs`: how often it is read again; null reads once. `key`: another one reads anew. */
export function useLoaded<T>(read: () => Promise<T>, key: string, everyMs: number | null): Loaded<T> {
  const [state, setState] = useState<{ value: T | null; trouble: Trouble | null; key: string }>({
    value: null,
    trouble: null,
    key,
  });
  const [round, setRound] = useState(0);
  useEffect(() => {
    let isCurrent = true;
    const look = () =>
      void read().then(
        (value) => isCurrent && setState({ value, trouble: null, key }),
        (error: unknown) =>
          isCurrent && setState((before) => ({ ...before, key, trouble: troubleOf(error) })),
      );
    look();
    const timer = everyMs === null ? undefined : setInterval(look, everyMs);
    return () => {
      isCurrent = false;
      clearInterval(timer);
    };
    // What is read depends on the key alone.
  }, [key, everyMs, round]);
  const again = useCallback(() => setRound((count) => count + 1), []);
  return { value: state.key === key ? state.value : null, trouble: state.trouble, again };
}
