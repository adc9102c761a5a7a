/**
 * An errand as a picture: how it begins, what is asked in turn, what is read back, how it is done and what is
 * said of it. Its sentences are edited here; the file stays the truth.
 */
import { ArrowRight } from 'lucide-react';
import { Fragment, useState, type FormEvent } from 'react';
import type { ErrandSummary } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { useLoaded } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';
import { changeSentence, sentencesOf, type Place, type Sentences } from './edit-sentence.js';

const REFRESH_MS = 3_000;
const DOES: Readonly<Record<string, string>> = {
  http: 'asks a system over HTTP',
  module: 'runs a module of the project',
  program: 'runs a program',
  table: 'writes a row of a table',
  keep: 'keeps it among the outcomes',
  handOver: 'hands over to a person',
  message: 'sends, changes or withdraws a message',
  screen: 'asks the caller’s own screen',
};

interface Line {
  /** What the sentence is for. */
  is: string;
  place: Place;
}

interface Step {
  title: string;
  note: string;
  isSlot?: boolean;
  /** It has more to say than the others. */
  isWide?: boolean;
  /** Its sentences, each of which may be edited. */
  lines: Line[];
}

function stepsOf({ begins, slots, readsBack, does, outcomes }: ErrandSummary): Step[] {
  const [first] = begins;
  const more = begins.length > 1 ? ` (or ${begins.length - 1} more)` : '';
  return [
    {
      title: 'begins',
      note: first === undefined ? 'when a model asks for it' : `${first}${more}`,
      lines: [],
    },
    ...slots.map(({ name, kind, optional }) => ({
      title: name,
      note: `${kind}${optional ? ', never asked for' : ''}`,
      isSlot: true,
      lines: optional
        ? []
        : [
            { is: 'asks', place: ['slots', name, 'ask'] },
            { is: 'then', place: ['slots', name, 'again'] },
          ],
    })),
    ...(readsBack
      ? [{ title: 'reads back', note: 'a yes is wanted', lines: [{ is: 'says', place: ['readBack'] }] }]
      : []),
    {
      title: 'does it',
      note: DOES[does] ?? does,
      isWide: outcomes.length > 2,
      lines: outcomes.map((outcome) => ({ is: outcome, place: ['says', outcome] })),
    },
  ];
}

export function Dialogue({ errand }: { errand: ErrandSummary }) {
  const { value, again } = useLoaded(() => sentencesOf(errand.name), errand.name, REFRESH_MS);
  return (
    <ol className="flex flex-wrap items-stretch gap-1" aria-label="How it goes">
      {stepsOf(errand).map((step, i) => (
        <Fragment key={step.title}>
          {i > 0 && (
            <li className="self-center" aria-hidden>
              <ArrowRight size={16} />
            </li>
          )}
          <li
            className={`rounded-box border p-2 ${step.isWide ? 'grow basis-96' : 'max-w-56'} ${step.isSlot ? 'border-primary' : 'border-base-300 bg-base-200'}`}
          >
            <div className="font-bold">{step.title}</div>
            <div className="text-sm text-accent break-words">{step.note}</div>
            {value &&
              step.lines.map((line) => (
                <Sentence key={line.is} {...{ errand, line, sentences: value, again }} />
              ))}
          </li>
        </Fragment>
      ))}
    </ol>
  );
}

function Sentence({
  errand,
  line: { is, place },
  sentences,
  again,
}: {
  errand: ErrandSummary;
  line: Line;
  sentences: Sentences;
  again: () => void;
}) {
  const text = sentences.at(place);
  const [draft, setDraft] = useState<string | null>(null);
  const { doing, trouble, run } = useWork();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const wanted = draft?.trim() ?? text;
    if (wanted === text) return setDraft(null);
    run(async () => {
      await changeSentence(errand.name, place, wanted);
      again();
      setDraft(null);
    });
  };
  return (
    <div className="text-sm">
      <span className="text-accent">{is}</span>{' '}
      {draft === null ? (
        <button
          className={`text-left cursor-text underline decoration-dotted ${text === '' ? 'text-accent' : ''}`}
          title={`Edit ${place.join('.')} of errands/${errand.name}.yaml`}
          onClick={() => setDraft(text)}
        >
          {text === '' ? 'a sentence of our own' : `“${text}”`}
        </button>
      ) : (
        <form onSubmit={submit} className="flex flex-col gap-1">
          <textarea
            className="textarea textarea-sm w-full"
            aria-label={`${is} of ${errand.name}`}
            autoFocus
            rows={3}
            value={draft}
            onChange={(event) => setDraft(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === 'Escape') setDraft(null);
              if (event.key === 'Enter') submit(event);
            }}
          />
          <div className="flex gap-1">
            <button className="btn btn-primary btn-xs" disabled={doing !== null}>
              Save
            </button>
            <button type="button" className="btn btn-xs" onClick={() => setDraft(null)}>
              Leave it
            </button>
          </div>
          {trouble && <Notice trouble={trouble} />}
        </form>
      )}
    </div>
  );
}
