/** What is wrong with the project's files, as `verbalon check` tells it. */
import { Restarts } from '../shared/restarts.js';
import { http, useLoaded } from '../shared/use-loaded.js';

/** Between two looks, in ms. */
const EVERY_MS = 3_000;

export function Findings() {
  const { value } = useLoaded(() => http.project(), 'project', EVERY_MS);
  if (!value) return null;
  const { findings, restarts } = value;
  const errors = findings.filter(({ grade }) => grade === 'error');
  const notes = findings.filter(({ grade }) => grade === 'note');
  return (
    <section aria-label="Findings" className="flex flex-col gap-1 border-t border-base-300 pt-3">
      <h2 className="font-bold">{errors.length === 0 ? 'All files can be used' : 'What is wrong'}</h2>
      <ul className="text-sm flex flex-col gap-1">
        {[...errors, ...notes].map(({ file, line, grade, detail, stops }) => (
          <li key={`${file}:${line}:${detail}`}>
            <span className="font-mono">{line === null ? file : `${file}:${line}`}</span>{' '}
            <span className={grade === 'error' ? 'text-error' : ''}>{detail}</span>
            {stops.length > 0 && <span>; nobody can talk to {stops.join(', ')}</span>}
          </li>
        ))}
      </ul>
      <Restarts restarts={restarts} />
    </section>
  );
}
