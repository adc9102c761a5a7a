/** A link to captions of this talk, for a screen in the room. */
import { useState } from 'react';
import { http } from '../shared/use-loaded.js';

export function OnAScreen({ conversation }: { conversation: string }) {
  const [trouble, setTrouble] = useState('');
  const show = () => {
    // Opened at once: a window that opens later is taken for an advertisement.
    const screen = window.open('', '_blank');
    http.view(conversation).then(
      ({ page }) => screen?.location.assign(page),
      (error: unknown) => {
        screen?.close();
        setTrouble(error instanceof Error ? error.message : String(error));
      },
    );
  };
  return (
    <button
      className="btn btn-xs btn-ghost"
      onClick={show}
      title="Large words for a screen in the room, by a link that only shows"
    >
      {trouble || 'Captions on a screen'}
    </button>
  );
}
