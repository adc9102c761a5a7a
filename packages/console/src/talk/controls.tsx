/** One row of controls: begin, hush, type, start afresh, end. */
import { Hand, Mic, Play, RotateCcw, SendHorizontal, Square } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import type { RecordingSummary } from '@verbalon/protocol';
import type { Source } from './talk-session.js';

interface ControlsProps {
  live: boolean;
  recordings: RecordingSummary[];
  begin: (source: Source) => void;
  hush: () => void;
  fresh: () => void;
  end: () => void;
  type: (text: string) => void;
}

export function Controls({ live, recordings, begin, hush, fresh, end, type }: ControlsProps) {
  return live ? <Talking {...{ hush, fresh, end, type }} /> : <Beginning {...{ recordings, begin }} />;
}

function Beginning({ recordings, begin }: Pick<ControlsProps, 'recordings' | 'begin'>) {
  const [walker, setWalker] = useState('');
  const chosen = walker || recordings[0]?.name;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <button className="btn btn-primary" onClick={() => begin({ kind: 'microphone' })}>
        <Mic size={18} aria-hidden /> Talk by microphone
      </button>
      <button className="btn btn-outline" onClick={() => begin({ kind: 'typing' })}>
        Type only
      </button>
      {recordings.length > 0 && (
        <span className="join">
          <select
            className="select join-item w-72"
            aria-label="Recorded walker"
            value={chosen}
            onChange={(event) => setWalker(event.target.value)}
          >
            {recordings.map(({ name, title }) => (
              <option key={name} value={name}>
                {title}
              </option>
            ))}
          </select>
          <button className="btn join-item" onClick={() => chosen && begin({ kind: 'walker', name: chosen })}>
            <Play size={16} aria-hidden /> Let this walker talk
          </button>
        </span>
      )}
    </div>
  );
}

function Talking({ hush, fresh, end, type }: Pick<ControlsProps, 'hush' | 'fresh' | 'end' | 'type'>) {
  const [text, setText] = useState('');
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() === '') return;
    type(text.trim());
    setText('');
  };
  return (
    <div className="flex flex-wrap items-center gap-3">
      <button className="btn btn-secondary" onClick={hush}>
        <Hand size={18} aria-hidden /> Hush <kbd className="kbd kbd-xs text-base-content">Esc</kbd>
      </button>
      <form className="join grow min-w-56" onSubmit={submit}>
        <input
          className="input join-item w-full"
          placeholder="Or type what you want to say"
          aria-label="Type what you want to say"
          maxLength={4000}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <button className="btn join-item" aria-label="Send">
          <SendHorizontal size={16} aria-hidden />
        </button>
      </form>
      <button className="btn btn-ghost" onClick={fresh}>
        <RotateCcw size={16} aria-hidden /> Fresh start
      </button>
      <button className="btn btn-ghost" onClick={end}>
        <Square size={16} aria-hidden /> End
      </button>
    </div>
  );
}
