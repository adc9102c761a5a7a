/** An errand as a picture: how it begins, what is asked in turn, what is read back, how it is done. */
import { ArrowRight } from 'lucide-react';
import { Fragment } from 'react';
import type { ErrandSummary } from '@verbalon/protocol';

const DOES: Readonly<Record<string, string>> = {
  http: 'asks a system over HTTP',
  module: 'runs a module of the project',
  program: 'runs a program',
  table: 'writes a row of a table',
  keep: 'keeps it among the outcomes',
  handOver: 'hands over to a person',
};

interface Step {
  title: string;
  note: string;
  isSlot?: boolean;
}

function stepsOf({ begins, slots, readsBack, does }: ErrandSummary): Step[] {
  const [first] = begins;
  return [
    {
      title: 'begins',
      note:
        first === undefined
          ? 'when a model asks for it'
          : begins.length === 1
            ? first
            : `${first} (or ${begins.length - 1} more)`,
    },
    ...slots.map(({ name, kind, ask, optional }) => ({
      title: name,
      note: `${kind}${optional ? ', never asked for' : `: “${ask}”`}`,
      isSlot: true,
    })),
    ...(readsBack ? [{ title: 'reads back', note: 'a yes is wanted' }] : []),
    { title: 'does it', note: DOES[does] ?? does },
  ];
}

export function Dialogue({ errand }: { errand: ErrandSummary }) {
  return (
    <ol className="flex flex-wrap items-stretch gap-1" aria-label="How it goes">
      {stepsOf(errand).map(({ title, note, isSlot }, i) => (
        <Fragment key={title}>
          {i > 0 && (
            <li className="self-center" aria-hidden>
              <ArrowRight size={16} />
            </li>
          )}
          <li
            className={`rounded-box border p-2 max-w-48 ${isSlot ? 'border-primary' : 'border-base-300 bg-base-200'}`}
          >
            <div className="font-bold">{title}</div>
            <div className="text-sm text-accent break-words">{note}</div>
          </li>
        </Fragment>
      ))}
    </ol>
  );
}
