/** All stored conversations, newest first. */
import { Disc2 } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ConversationSummary } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { lengthOf, whenOf } from './times.js';

const REFRESH_MS = 3_000;
const PAGE = 50;

export function ConversationsPage() {
  const [limit, setLimit] = useState(PAGE);
  const { value: all, trouble } = useLoaded(
    () => http.conversations(limit),
    `conversations-${limit}`,
    REFRESH_MS,
  );
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-3">
      <h1 className="text-xl font-bold">Conversations</h1>
      {trouble && <Notice trouble={trouble} />}
      {all === null && !trouble && <p>Loading …</p>}
      {all?.length === 0 && (
        <p>
          No conversation yet.{' '}
          <Link className="link" to="/">
            Talk to an assistant
          </Link>
          , or let a recorded caller talk.
        </p>
      )}
      {all !== null && all.length > 0 && <List all={all} />}
      {all?.length === limit && limit < 500 && (
        <button className="btn self-start" onClick={() => setLimit(Math.min(500, limit + PAGE))}>
          Show older ones
        </button>
      )}
    </main>
  );
}

function List({ all }: { all: ConversationSummary[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="table table-sm">
        <thead>
          <tr>
            <th>When</th>
            <th>Assistant</th>
            <th className="max-sm:hidden">Line</th>
            <th className="max-sm:hidden">Length</th>
            <th>Turns</th>
            <th>How it ended</th>
          </tr>
        </thead>
        <tbody>
          {all.map((one) => (
            <tr key={one.id}>
              <td className="times whitespace-nowrap">
                <Link className="link" to={`/conversations/${one.id}`}>
                  {whenOf(one.startedAt)}
                </Link>
              </td>
              <td>
                {one.assistant}
                <span className="sm:hidden block text-sm text-accent">
                  {one.line}, {lengthOf(one)}
                </span>
              </td>
              <td className="max-sm:hidden">{one.line}</td>
              <td className="times max-sm:hidden">{lengthOf(one)}</td>
              <td className="times">
                {one.recorded ? (
                  <span className="inline-flex items-center gap-1">
                    {one.turns} <Disc2 size={12} aria-label="recorded" />
                  </span>
                ) : (
                  <span className="text-accent">not recorded</span>
                )}
              </td>
              <td>{one.ending ?? <strong>live</strong>}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
