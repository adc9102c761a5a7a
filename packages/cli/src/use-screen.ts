/** What a screen shows, kept up to date. */
import { useEffect, useState } from 'react';
import type { Screen, ScreenModel } from './screen-model.js';

const REFRESH_MS = 60;

/** The model, drawn at most every REFRESH_MS: sound comes more often than eyes need. */
export function useScreen(model: ScreenModel): Screen {
  const [, redraw] = useState(0);
  useEffect(() => {
    let seen = model.screen;
    const timer = setInterval(() => {
      if (seen === model.screen) return;
      seen = model.screen;
      redraw((count) => count + 1);
    }, REFRESH_MS);
    return () => clearInterval(timer);
  }, [model]);
  return model.screen;
}
