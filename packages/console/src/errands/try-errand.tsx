/** An errand tried: sayings one after the other, and what each of them comes to. Nothing is done. */
import { useState, type FormEvent } from 'react';
import type { ErrandSummary, TriedErrand } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';
import { Speak } from './speak.js';

export function TryErrand({ errand }: { errand: ErrandSummary }) {
  const [said, setSaid] = useState<string[]>([]);
  const [text, setText] = useState(errand.examples[0] ?? '');
  const [tried, setTried] = useState<TriedErrand[]>([]);
  const work = useWork();
  const { doing, trouble, run } = work;
  const attempt = (all: string[]) =>
    run(async () => {
      setTried(all.length === 0 ? [] : await http.tryErrand(errand.name, all));
      setSaid(all);
      setText('');
    });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() !== '') attempt([...said, text.trim()]);
  };
  const isOver = tried.some(({ does }) => does === 'act' || does === 'hand over');
  return (
    <section className="rounded-box border border-base-300 p-3 flex flex-col gap-2" aria-label="Try it">
      <h2 className="font-bold">
        Try it <span className="font-normal text-accent text-sm">nothing is done</span>
      </h2>
      <div className="flex flex-col gap-2" aria-live="polite">
        {tried.map((one, i) => (
          <Said key={i} tried={one} />
        ))}
      </div>
      {trouble && <Notice trouble={trouble} />}
      <form className="flex flex-wrap gap-2" onSubmit={submit}>
        <input
          className="input input-sm grow min-w-48"
          aria-label="What a caller says"
          placeholder={isOver ? 'It is over; begin again' : 'What a caller says'}
          disabled={isOver}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <button className="btn btn-primary btn-sm" disabled={isOver || doing !== null || text.trim() === ''}>
          Say it
        </button>
        {errand.assistants[0] !== undefined && !isOver && (
          <Speak assistant={errand.assistants[0]} work={work} heard={setText} />
        )}
        {said.length > 0 && (
          <button type="button" className="btn btn-sm" onClick={() => attempt([])}>
            Begin again
          </button>
        )}
      </form>
      {tried.length > 0 && (
        <details>
          <summary className="cursor-pointer text-sm">
            As it comes from POST /v1/errands/{errand.name}/try
          </summary>
          <pre className="text-xs overflow-auto max-h-60 bg-base-200 p-2">
            {JSON.stringify(tried, null, 2)}
          </pre>
        </details>
      )}
    </section>
  );
}

function Said({ tried: { said, does, says, slots } }: { tried: TriedErrand }) {
  return (
    <div className="border-l-4 border-base-300 pl-2">
      <p className="text-primary">“{said}”</p>
      {slots.length > 0 && (
        <dl className="flex flex-wrap gap-x-4 text-sm">
          {slots.map(({ name, kind, value, text }) => (
            <div key={name} className="flex gap-1">
              <dt className="text-accent">
                {name} ({kind})
              </dt>
              <dd className="font-bold">
                {String(value)}
                {text !== String(value) && <span className="font-normal"> = {text}</span>}
              </dd>
            </div>
          ))}
        </dl>
      )}
      <p className="text-secondary">{sentenceOf(does, says)}</p>
    </div>
  );
}

function sentenceOf(does: string, says: string): string {
  if (does === 'pass') return 'This is nothing for the errand: a model would answer.';
  if (does === 'answer') return `A model would answer; then: ${says}`;
  if (does === 'act') return 'Now it would be done.';
  if (does === 'hand over') return `Now it would hand over. ${says}`;
  return says;
}
