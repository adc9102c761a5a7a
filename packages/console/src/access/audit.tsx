import { useState } from 'react';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';

const REFRESH_MS = 5_000;
const SHOWN = 50;

/** What was changed or refused, the newest first. */
export function Audit() {
  const [before, setBefore] = useState<number | undefined>();
  const { value: entries, trouble } = useLoaded(
    () => http.audit(SHOWN, before),
    `audit ${before ?? ''}`,
    REFRESH_MS,
  );
  const last = entries?.length === SHOWN ? entries.at(-1) : undefined;
  return (
    <section aria-label="Audit" className="overflow-x-auto">
      <h2 className="font-bold">What was changed or refused (audit)</h2>
      {trouble && <Notice trouble={trouble} />}
      {entries?.length === 0 && <p>Nothing yet.</p>}
      {entries && entries.length > 0 && (
        <table className="table table-xs">
          <thead>
            <tr>
              <th>When</th>
              <th>Who</th>
              <th>From</th>
              <th>What</th>
              <th>Of what</th>
              <th>Answer</th>
            </tr>
          </thead>
          <tbody>
            {entries.map(({ number, at, who, address, what, about, status }) => (
              <tr key={number} className={status >= 400 ? 'text-error' : ''}>
                <td className="whitespace-nowrap">{new Date(at).toLocaleString()}</td>
                <td>{who}</td>
                <td>{address}</td>
                <td>{what}</td>
                <td>{about}</td>
                <td>
                  {status >= 400 ? 'refused' : 'done'} ({status})
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="flex gap-2">
        {before !== undefined && (
          <button className="btn btn-xs" onClick={() => setBefore(undefined)}>
            Newest
          </button>
        )}
        {last && (
          <button className="btn btn-xs" onClick={() => setBefore(last.number)}>
            Older
          </button>
        )}
      </p>
    </section>
  );
}
