/** The errand that goes on, as a form that fills while the caller speaks: pencil while provisional, ink when settled. */
import type { TalkView } from '@verbalon/client';

const STAGES: Readonly<Record<string, string>> = {
  asking: 'asks',
  'reading back': 'wants a yes',
  offering: 'offers to leave it',
  'taking up': 'asks whether to go on',
  doing: 'is doing it',
};

export function ErrandForm({ errand }: { errand: TalkView['errand'] }) {
  if (!errand) return null;
  const { title, stage, asking, slots } = errand;
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
        {slots.map(({ name, text, settled }) => (
          <div key={name} className="flex gap-1">
            <dt className="text-accent">{name}</dt>
            <dd className={settled ? 'font-bold' : 'italic pencil'}>
              {text}
              {!settled && <span className="sr-only"> (provisional)</span>}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
