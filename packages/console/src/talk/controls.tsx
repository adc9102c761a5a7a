/** One row of controls: begin; or talk by key, hush, type, start afresh, end. */
import type { Floor } from '@verbalon/core';
import { Hand, Mic, Play, RotateCcw, SendHorizontal, SlidersHorizontal, Square } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import type { RecordingSummary } from '@verbalon/protocol';
import type { Source, TalkSession } from '@verbalon/client/browser';

export function Beginning({
  recordings,
  begin,
  soundCheck,
}: {
  recordings: RecordingSummary[];
  begin: (source: Source) => void;
  soundCheck: () => void;
}) {
  const [walker, setWalker] = useState('');
  const chosen = walker || recordings[0]?.name;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <button
        className="btn btn-primary btn-lg sm:btn-md w-full sm:w-auto"
        onClick={() => begin({ kind: 'microphone' })}
      >
        <Mic size={18} aria-hidden /> Talk by microphone
      </button>
      <button className="btn btn-outline" onClick={() => begin({ kind: 'typing' })}>
        Type only
      </button>
      <button className="btn btn-ghost" onClick={soundCheck}>
        <SlidersHorizontal size={16} aria-hidden /> Sound check
      </button>
      {recordings.length > 0 && (
        <span className="join max-w-full">
          <select
            className="select join-item w-64 max-w-full"
            aria-label="Recorded caller"
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
            <Play size={16} aria-hidden /> Let this caller talk
          </button>
        </span>
      )}
    </div>
  );
}

export function Talking({
  session,
  floor,
  pressed,
}: {
  session: TalkSession;
  floor: Floor;
  pressed: boolean;
}) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      {floor === 'press' && (
        <button
          className={`btn btn-primary btn-lg sm:btn-md w-full sm:w-auto touch-none select-none ${pressed ? 'btn-active' : ''}`}
          aria-pressed={pressed}
          onPointerDown={() => session.press()}
          onPointerUp={() => session.release()}
          onPointerCancel={() => session.release()}
          onContextMenu={(event) => event.preventDefault()}
        >
          <Mic size={18} aria-hidden /> {pressed ? 'Listening to you' : 'Hold to talk'}{' '}
          <kbd className="kbd kbd-xs text-base-content hidden sm:inline-flex">Space</kbd>
        </button>
      )}
      {floor === 'once' && (
        <button
          className="btn btn-primary btn-lg sm:btn-md w-full sm:w-auto touch-none select-none"
          onClick={() => session.press()}
        >
          <Mic size={18} aria-hidden /> Tap to talk{' '}
          <kbd className="kbd kbd-xs text-base-content hidden sm:inline-flex">Space</kbd>
        </button>
      )}
      <button className="btn btn-secondary" onClick={() => session.hush()}>
        <Hand size={18} aria-hidden /> Hush{' '}
        <kbd className="kbd kbd-xs text-base-content hidden sm:inline-flex">Esc</kbd>
      </button>
      <TypeBox type={(text) => session.type(text)} />
      <label className="label text-base-content gap-2 cursor-pointer">
        <input
          type="checkbox"
          className="toggle toggle-sm"
          checked={floor === 'press'}
          onChange={(event) => session.takeFloor(event.target.checked ? 'press' : 'open')}
        />
        Push-to-talk
      </label>
      <button className="btn btn-ghost" onClick={() => session.fresh()}>
        <RotateCcw size={16} aria-hidden /> Fresh start
      </button>
      <button className="btn btn-ghost" onClick={() => session.end()}>
        <Square size={16} aria-hidden /> End
      </button>
    </div>
  );
}

function TypeBox({ type }: { type: (text: string) => void }) {
  const [text, setText] = useState('');
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() === '') return;
    type(text.trim());
    setText('');
  };
  return (
    <form className="join grow min-w-52" onSubmit={submit}>
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
  );
}
