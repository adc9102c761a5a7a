/** What engines there are and in what state, and one of each role to try. */
import { useState } from 'react';
import { Notice } from '../shared/notice.js';
import { Restarts } from '../shared/restarts.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { EngineTable } from './engine-table.js';
import { Ask, Hear, Say } from './one-at-a-time.js';

const REFRESH_MS = 3_000;

export function EnginesPage() {
  const read = () => Promise.all([http.engines(), http.assistants(), http.voices(), http.recordings()]);
  const { value, trouble } = useLoaded(read, 'engines', REFRESH_MS);
  const { value: project } = useLoaded(() => http.project(), 'project', REFRESH_MS);
  const [assistant, setAssistant] = useState('');
  const [engines, assistants, voices, recordings] = value ?? [[], [], [], []];
  const chosen =
    assistants.find(({ name }) => name === assistant) ?? assistants.find(({ isDefault }) => isDefault);
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-4">
      <header className="flex flex-wrap items-center gap-4">
        <h1 className="text-xl font-bold">Engines</h1>
        <label className="flex items-center gap-2">
          as
          <select
            className="select select-sm w-40"
            aria-label="Assistant"
            value={chosen?.name ?? ''}
            onChange={(event) => setAssistant(event.target.value)}
          >
            {assistants.map(({ name }) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
      </header>
      {trouble && <Notice trouble={trouble} />}
      <Restarts restarts={project?.restarts ?? []} />
      <EngineTable engines={engines} />
      {chosen && (
        <div className="grid gap-4 xl:grid-cols-3">
          <Hear key={`hear-${chosen.name}`} assistant={chosen} recordings={recordings} />
          <Say key={`say-${chosen.name}`} assistant={chosen} voices={voices} />
          <Ask key={`ask-${chosen.name}`} assistant={chosen} />
        </div>
      )}
    </main>
  );
}
