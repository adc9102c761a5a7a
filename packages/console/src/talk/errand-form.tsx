/**
 * The errand that goes on, as a form that fills while the caller speaks: pencil while provisional, ink when
 * settled; it may be written in.
 */
import { useState, type FormEvent } from 'react';
import type { TalkView } from '@verbalon/client';

type Errand = NonNullable<TalkView['errand']>;

const STAGES: Readonly<Record<string, string>> = {
  asking: 'asks',
  'reading back': 'wants a yes',
  offering: 'offers to leave it',
  'taking up': 'asks whether to go on',
  doing: 'is doing it',
};
const OPEN = new Set(['asking', 'reading back', 'offering']);

export function ErrandForm({
  errand,
  write,
}: {
  errand: TalkView['errand'];
  write: (slot: string, text: string) => void;
}) {
  if (!errand) return null;
  const { title, stage, asking, slots, run } = errand;
  const isOpen = OPEN.has(stage);
  const asked =
    isOpen && asking !== null && !slots.some(({ name }) => name === asking)
      ? [{ name: asking, text: '', settled: true }]
      : [];
  return (
    <section aria-label="Errand" className="text-sm">
      <h2 className="font-bold">
        {title}{' '}
        <span className="font-normal text-accent" data-testid="errand-stage">
          {STAGES[stage] ?? stage}
          {stage === 'asking' && asking !== null && ` for ${asking}`}
        </span>
      </h2>
      <dl className="flex flex-wrap gap-x-4 gap-y-1">
        {[...slots, ...asked].map((slot) => (
          <Slot key={`${run} ${slot.name}`} slot={slot} write={isOpen ? write : null} />
        ))}
      </dl>
    </section>
  );
}

function Slot({
  slot: { name, text, settled },
  write,
}: {
  slot: Pick<Errand['slots'][number], 'name' | 'text' | 'settled'>;
  /** Null where nothing can be changed any more. */
  write: ((slot: string, text: string) => void) | null;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (draft !== null && draft.trim() !== '' && draft !== text) write?.(name, draft.trim());
    setDraft(null);
  };
  return (
    <div className="flex gap-1 items-baseline">
      <dt className="text-accent">{name}</dt>
      <dd className={settled ? 'font-bold' : 'italic pencil'}>
        {draft !== null ? (
          <form onSubmit={submit}>
            <input
              className="input input-xs w-40"
              aria-label={`Write ${name}`}
              autoFocus
              value={draft}
              onChange={(event) => setDraft(event.target.value)}
              onBlur={submit}
              onKeyDown={(event) => event.key === 'Escape' && setDraft(null)}
            />
          </form>
        ) : write ? (
          <button
            className={`cursor-text underline decoration-dotted ${text === '' ? 'font-normal' : ''}`}
            title="Write it"
            onClick={() => setDraft(text)}
          >
            {text || 'write it'}
          </button>
        ) : (
          text
        )}
        {!settled && <span className="sr-only"> (provisional)</span>}
      </dd>
    </div>
  );
}

/** What an errand wants on the caller's screen. An address is opened by whoever presses it. */
export function Shown({ screen }: { screen: TalkView['screen'] }) {
  if (!screen) return null;
  const { open, show, fill = {} } = screen;
  const isAddress = open !== undefined && /^https?:\/\//.test(open);
  return (
    <section aria-label="Shown" className="text-sm rounded-box bg-base-200 p-2">
      {isAddress ? (
        <a className="link" href={open} target="_blank" rel="noopener noreferrer">
          {show ?? open}
        </a>
      ) : (
        <p>{[show, open].filter(Boolean).join(': ')}</p>
      )}
      <dl className="flex flex-wrap gap-x-4">
        {Object.entries(fill).map(([name, value]) => (
          <div key={name} className="flex gap-1">
            <dt className="text-accent">{name}</dt>
            <dd className="font-bold">{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
