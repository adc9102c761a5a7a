/** What was really said in a turn, as a person heard it: with it the turn is a recording to try ears with. */
import { Pencil } from 'lucide-react';
import { useState } from 'react';
import { http } from '../shared/use-loaded.js';

interface Props {
  conversation: string;
  turn: number;
  heard: string;
  /** Null where nobody has corrected it. */
  corrected: string | null;
  changed: () => void;
}

export function Correction({ conversation, turn, heard, corrected, changed }: Props) {
  const [text, setText] = useState<string | null>(null);
  const keep = async () => {
    await http.correct(conversation, turn, text ?? '');
    setText(null);
    changed();
  };
  if (text !== null)
    return (
      <form
        className="flex gap-2 mt-1"
        onSubmit={(event) => {
          event.preventDefault();
          void keep();
        }}
      >
        <input
          className="input input-sm grow"
          aria-label="What was really said"
          autoFocus
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <button className="btn btn-sm btn-primary">Keep</button>
        <button type="button" className="btn btn-sm" onClick={() => setText(null)}>
          Leave it
        </button>
      </form>
    );
  return (
    <>
      {corrected !== null && (
        <p className="text-sm">
          <span className="text-accent">really said:</span> {corrected}
        </p>
      )}
      <button className="btn btn-xs mt-1 mr-1" onClick={() => setText(corrected ?? heard)}>
        <Pencil size={12} aria-hidden /> Correct
      </button>
    </>
  );
}
