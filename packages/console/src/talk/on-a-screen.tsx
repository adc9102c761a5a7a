/** Links to this talk: captions for a screen in the room, and a page on which somebody else takes part. */
import { useState } from 'react';
import type { May } from '@verbalon/protocol';
import { http } from '../shared/use-loaded.js';

export function OnAScreen({ conversation }: { conversation: string }) {
  const [trouble, setTrouble] = useState('');
  const show = (may: May) => {
    // Opened at once: a window that opens later is taken for an advertisement.
    const screen = window.open('', '_blank');
    http.view(conversation, { may }).then(
      ({ page }) => screen?.location.assign(page),
      (error: unknown) => {
        screen?.close();
        setTrouble(error instanceof Error ? error.message : String(error));
      },
    );
  };
  if (trouble) return <span className="text-sm text-error">{trouble}</span>;
  return (
    <span>
      <button
        className="btn btn-xs btn-ghost"
        onClick={() => show('watch')}
        title="Large words for a screen in the room, by a link that only shows"
      >
        Captions on a screen
      </button>
      <button
        className="btn btn-xs btn-ghost"
        onClick={() => show('join')}
        title="A page for somebody else in the room: it hears the talk, and speaks while a key is down"
      >
        Let somebody join
      </button>
    </span>
  );
}
