/** What came of errands, the newest first. */
import { Link } from 'react-router';
import type { RunSummary } from '@verbalon/protocol';
import { whenOf } from '../conversations/times.js';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { isBad, signOf } from './signs.js';

const REFRESH_MS = 3_000;

export function Outcomes() {
  const { value: runs, trouble } = useLoaded(() => http.runs(), 'runs', REFRESH_MS);
  return (
    <section aria-label="Outcomes" className="min-w-0">
      <h2 className="font-bold mb-1">Outcomes</h2>
      {trouble && <Notice trouble={trouble} />}
      {runs === null && !trouble && <p>Loading …</p>}
      {runs?.length === 0 && <p className="text-accent">Nothing was done yet.</p>}
      {runs !== null && runs.length > 0 && <Table runs={runs} />}
    </section>
  );
}

function Table({ runs }: { runs: RunSummary[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="table table-sm">
        <thead>
          <tr>
            <th>When</th>
            <th>Errand</th>
            <th>Outcome</th>
            <th>With</th>
            <th>Gave</th>
            <th>By</th>
          </tr>
        </thead>
        <tbody>
          {runs.map((one) => (
            <Row key={one.run} run={one} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Row({
  run: { at, errand, state, code, slots, given, assistant, conversation },
}: {
  run: RunSummary;
}) {
  const Sign = signOf(state);
  return (
    <tr>
      <td className="times whitespace-nowrap">
        <Link className="link" to={`/conversations/${conversation}`}>
          {whenOf(at)}
        </Link>
      </td>
      <td>{errand}</td>
      <td className={isBad(state) ? 'text-error' : ''}>
        <span className="inline-flex items-center gap-1">
          <Sign size={14} aria-hidden /> {code ?? state}
        </span>
      </td>
      <td>
        <Values values={slots} />
      </td>
      <td>
        <Values values={given} />
      </td>
      <td>{assistant}</td>
    </tr>
  );
}

/** As text: whatever a system outside has given is no markup. */
function Values({ values }: { values: Readonly<Record<string, unknown>> }) {
  const all = Object.entries(values);
  if (all.length === 0) return <>–</>;
  return (
    <span className="flex flex-wrap gap-x-3">
      {all.map(([name, value]) => (
        <span key={name}>
          <span className="text-accent">{name}</span> {String(value)}
        </span>
      ))}
    </span>
  );
}
