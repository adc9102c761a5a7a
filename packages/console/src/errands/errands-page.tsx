/**
 * What the assistants can do: each errand as a dialogue, tried without doing anything; and what came of
 * errands.
 */
import { useState } from 'react';
import { Link } from 'react-router';
import type { ErrandSummary } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { Dialogue } from './dialogue.js';
import { ContactList, Messages } from './messages.js';
import { Outcomes } from './outcomes.js';
import { TryErrand } from './try-errand.js';

const REFRESH_MS = 3_000;

export function ErrandsPage() {
  const { value: errands, trouble } = useLoaded(() => http.errands(), 'errands', REFRESH_MS);
  const [name, setName] = useState<string | null>(null);
  const shown = errands?.find((one) => one.name === name) ?? errands?.[0];
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-4">
      <h1 className="text-xl font-bold">Errands</h1>
      {trouble && <Notice trouble={trouble} />}
      {errands?.length === 0 && (
        <p>
          No errand yet. Begin one under{' '}
          <Link className="link" to="/files">
            Files
          </Link>
          : what the assistant may do, and what it must know for it.
        </p>
      )}
      {shown && errands && (
        <div className="grid lg:grid-cols-[14rem_1fr] gap-4 items-start">
          <List errands={errands} shown={shown.name} show={setName} />
          <section className="flex flex-col gap-3 min-w-0" aria-label={shown.title}>
            <About errand={shown} />
            <Dialogue errand={shown} />
            <TryErrand key={shown.name} errand={shown} />
          </section>
        </div>
      )}
      <Messages />
      <Outcomes />
      <ContactList />
    </main>
  );
}

function List({
  errands,
  shown,
  show,
}: {
  errands: ErrandSummary[];
  shown: string;
  show: (name: string) => void;
}) {
  return (
    <ul className="menu bg-base-200 rounded-box w-full p-1" aria-label="All errands">
      {errands.map(({ name, title, assistants }) => (
        <li key={name}>
          <button
            className={name === shown ? 'menu-active' : ''}
            aria-current={name === shown}
            onClick={() => show(name)}
          >
            <span className="flex flex-col items-start">
              <span>{title}</span>
              {assistants.length === 0 && <span className="text-xs">no assistant does it</span>}
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}

function About({ errand: { name, about, assistants } }: { errand: ErrandSummary }) {
  return (
    <p>
      {about} <span className="text-accent">Done by {assistants.join(', ') || 'no assistant'}.</span>{' '}
      <Link className="link" to={`/files/errands/${name}`}>
        Edit errands/{name}.yaml
      </Link>
    </p>
  );
}
