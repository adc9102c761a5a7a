/** Engines compared: the same recordings, questions or texts through each of them. */
import { useState } from 'react';
import type {
  EngineSummary,
  RecordingSummary,
  Tryout,
  TryoutRequest,
  TryoutSummary,
} from '@verbalon/protocol';
import { whenOf } from '../conversations/times.js';
import { ROLE_WORDS } from '../shared/engine-sign.js';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';
import { Tried } from './tried.js';

type Role = TryoutRequest['role'];

export function TryoutsPage() {
  const read = () => Promise.all([http.engines(), http.tryouts(), http.recordings()]);
  const { value, trouble, again } = useLoaded(read, 'tryouts', null);
  const [shown, setShown] = useState<Tryout | null>(null);
  const [engines, stored, recordings] = value ?? [[], [], []];
  const show = (tryout: Tryout) => {
    setShown(tryout);
    again();
  };
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-4">
      <h1 className="text-xl font-bold">Tryouts</h1>
      {trouble && <Notice trouble={trouble} />}
      {value && <Begin engines={engines} recordings={recordings} show={show} />}
      {shown && <Tried tryout={shown} changed={setShown} />}
      <Stored stored={stored} open={(id) => void http.tryoutOf(id).then(setShown)} />
    </main>
  );
}

interface BeginProps {
  engines: EngineSummary[];
  /** What its callers say is what is tried first. */
  recordings: RecordingSummary[];
  show: (tryout: Tryout) => void;
}

function Begin({ engines, recordings, show }: BeginProps) {
  const [role, setRole] = useState<Role>('stt');
  const [chosen, setChosen] = useState<string[]>([]);
  const [texts, setTexts] = useState(
    recordings
      .slice(0, 2)
      .map(({ transcript }) => transcript.split('\n')[0])
      .join('\n'),
  );
  const { doing, trouble, run } = useWork();
  const its = engines.filter((one) => one.role === role);
  const picked = chosen.filter((name) => its.some((one) => one.name === name));
  const begin = async (tell: (doing: string) => void) => {
    const lines = texts
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
    const request = { role, engines: picked, ...(role === 'stt' ? {} : { texts: lines }) };
    for await (const event of http.tryout(request)) {
      if (event.kind === 'done') show(event.tryout);
      else tell(`${event.engine}: ${event.item.item}`);
    }
  };
  return (
    <section className="rounded-box border border-base-300 p-3 flex flex-col gap-3" aria-label="A new tryout">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
        <select
          className="select select-sm w-44"
          aria-label="What they are for"
          value={role}
          onChange={(event) => setRole(event.target.value as Role)}
        >
          {(['stt', 'llm', 'tts'] as const).map((one) => (
            <option key={one} value={one}>
              who {ROLE_WORDS[one]} best
            </option>
          ))}
        </select>
        {its.map(({ name, where }) => (
          <label key={name} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={chosen.includes(name)}
              onChange={(event) =>
                setChosen(event.target.checked ? [...chosen, name] : chosen.filter((one) => one !== name))
              }
            />
            {name}{' '}
            <span className="text-accent text-sm">{where === 'cloud' ? 'a cloud' : 'this machine'}</span>
          </label>
        ))}
      </div>
      {role === 'stt' ? (
        <p className="text-sm text-accent">
          All that is said in the project’s recordings goes through each, at the pace at which it was said.
        </p>
      ) : (
        <textarea
          className="textarea w-full"
          rows={3}
          aria-label="Texts, a line each"
          value={texts}
          onChange={(event) => setTexts(event.target.value)}
        />
      )}
      {trouble && <Notice trouble={trouble} />}
      <div className="flex items-center gap-3">
        <button
          className="btn btn-primary btn-sm"
          disabled={picked.length === 0 || doing !== null}
          onClick={() => run(begin)}
        >
          Try them
        </button>
        {doing !== null && <span role="status">{doing}</span>}
      </div>
    </section>
  );
}

function Stored({ stored, open }: { stored: TryoutSummary[]; open: (id: string) => void }) {
  if (stored.length === 0) return <p className="text-accent">No tryout is kept yet.</p>;
  return (
    <section aria-label="Tryouts that are kept">
      <h2 className="font-bold mb-1">Kept</h2>
      <ul className="flex flex-col gap-1">
        {stored.map(({ id, at, role, engines, items }) => (
          <li key={id}>
            <button className="link" onClick={() => open(id)}>
              {whenOf(at)}: who {ROLE_WORDS[role]} best
            </button>{' '}
            <span className="text-accent">
              {engines.join(', ')}; {items} items
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
