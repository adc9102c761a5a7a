/** Something that a person asked for: what of it is being done now, and why it could not be done. */
import { useState } from 'react';
import type { Trouble } from '@verbalon/client';
import { troubleOf } from './notice.js';

export interface Work {
  /** What is being done, as the work tells it; null when nothing is. */
  doing: string | null;
  trouble: Trouble | null;
  run: (work: (tell: (doing: string) => void) => Promise<void>) => void;
}

export function useWork(): Work {
  const [doing, setDoing] = useState<string | null>(null);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const run: Work['run'] = (work) => {
    setTrouble(null);
    setDoing('…');
    void work(setDoing)
      .catch((error: unknown) => setTrouble(troubleOf(error)))
      .finally(() => setDoing(null));
  };
  return { doing, trouble, run };
}
