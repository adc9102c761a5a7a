/**
 * Before the first talk with an assistant: what is kept, and where speech and words go. Said once, and
 * remembered.
 */
import type { AssistantSummary } from '@verbalon/protocol';
import { ROLE_WORDS, WHERE_WORDS } from '../shared/engine-sign.js';

const key = ({ name, recorded, lineup }: AssistantSummary): string =>
  // Another lineup, or another setting, is another promise: it is said again.
  `verbalon-told-${name}-${recorded}-${lineup.map(({ engine, where }) => `${engine}@${where}`).join('-')}`;

export function wasTold(assistant: AssistantSummary): boolean {
  return localStorage.getItem(key(assistant)) !== null;
}

export function rememberTold(assistant: AssistantSummary): void {
  localStorage.setItem(key(assistant), new Date().toISOString());
}

const WHAT = { stt: 'Your speech goes to', llm: 'Your words go to', tts: 'The answer is spoken by' } as const;

/** Another engine of its role stands before it. */
const isRelief = (all: AssistantSummary['lineup'], i: number) => all[i - 1]?.role === all[i]!.role;

export function Told({
  assistant,
  agree,
  cancel,
}: {
  assistant: AssistantSummary;
  agree: () => void;
  cancel: () => void;
}) {
  return (
    <dialog open className="modal modal-open" aria-labelledby="told-title">
      <div className="modal-box">
        <h2 id="told-title" className="text-lg font-bold mb-3">
          Before you talk to {assistant.title}
        </h2>
        <ul className="space-y-2 mb-2">
          <li>
            {assistant.recorded
              ? 'This talk is recorded: both sides’ sound and words are kept in this service.'
              : 'This talk is not recorded; it is only noted that there was one.'}
          </li>
          {assistant.lineup.map(({ role, engine, where }, i, all) => (
            <li key={engine} className={isRelief(all, i) ? 'pl-6' : ''}>
              {isRelief(all, i)
                ? role === 'tts'
                  ? 'or, when that fails, by'
                  : 'or, when that fails, to'
                : WHAT[role]}{' '}
              <strong>{engine}</strong>, on <strong>{WHERE_WORDS[where]}</strong>{' '}
              <span className="text-accent">({ROLE_WORDS[role]})</span>.
            </li>
          ))}
        </ul>
        <p className="text-sm text-accent">This is said once for this assistant.</p>
        <div className="modal-action">
          <button className="btn" onClick={cancel}>
            Not now
          </button>
          <button className="btn btn-primary" autoFocus onClick={agree}>
            Begin
          </button>
        </div>
      </div>
    </dialog>
  );
}
