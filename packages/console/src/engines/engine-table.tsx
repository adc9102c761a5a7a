/** All engines: what they are, how they are, what they cost; and a real round trip with each. */
import { useState } from 'react';
import { engineState, priceWords } from '@verbalon/client';
import type { EngineCheck, EngineSummary } from '@verbalon/protocol';
import { EngineSign, ROLE_WORDS, WHERE_WORDS } from '../shared/engine-sign.js';
import { Notice } from '../shared/notice.js';
import { http } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';

export function EngineTable({ engines }: { engines: EngineSummary[] }) {
  const [checks, setChecks] = useState<Record<string, EngineCheck>>({});
  const { doing, trouble, run } = useWork();
  const check = (names: string[]) =>
    run(async (tell) => {
      for (const name of names) {
        tell(name);
        const [found] = await http.checkEngines([name]);
        setChecks((before) => ({ ...before, [name]: found! }));
      }
    });
  return (
    <section className="flex flex-col gap-2" aria-label="All engines">
      <div className="flex items-center gap-3">
        <button
          className="btn btn-sm"
          disabled={doing !== null}
          onClick={() => check(engines.map(({ name }) => name))}
        >
          Check all
        </button>
        {doing !== null && <span role="status">{doing} is being asked …</span>}
      </div>
      {trouble && <Notice trouble={trouble} />}
      <div className="overflow-x-auto">
        <table className="table table-xs">
          <thead>
            <tr>
              <th>Engine</th>
              <th>Role</th>
              <th className="max-sm:hidden">Where</th>
              <th className="max-sm:hidden">Languages</th>
              <th className="max-sm:hidden">First answer</th>
              <th className="max-sm:hidden">Price</th>
              <th>State</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {engines.map((engine) => (
              <Row
                key={engine.name}
                engine={engine}
                check={checks[engine.name]}
                busy={doing !== null}
                run={() => check([engine.name])}
              />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

interface RowProps {
  engine: EngineSummary;
  check: EngineCheck | undefined;
  busy: boolean;
  run: () => void;
}

function Row({ engine, check, busy, run }: RowProps) {
  const { name, title, role, where, region, languages, usualFirstMs, why, resting } = engine;
  const shown = engineState(engine);
  return (
    <>
      <tr className={check ? 'border-b-0' : ''}>
        <td>
          <strong>{name}</strong> <span className="text-accent">{title}</span>
        </td>
        <td>{ROLE_WORDS[role]}</td>
        <td className="max-sm:hidden">
          {WHERE_WORDS[where]}
          {region && `, ${region}`}
        </td>
        <td className="max-sm:hidden">{languages.join(', ')}</td>
        <td className="times max-sm:hidden">{usualFirstMs === null ? '' : `${usualFirstMs} ms`}</td>
        <td className="max-sm:hidden">{priceWords(engine)}</td>
        <td>
          <span className="inline-flex items-center gap-1">
            <EngineSign state={resting ? 'down' : engine.state} /> {shown}
            {(resting ?? why) && <span className="text-error">: {resting ?? why}</span>}
          </span>
        </td>
        <td>
          <button className="btn btn-xs" disabled={busy} onClick={run}>
            Check
          </button>
        </td>
      </tr>
      {check && (
        <tr>
          <td colSpan={8} className="pt-0">
            <Checked check={check} />
          </td>
        </tr>
      )}
    </>
  );
}

function Checked({ check }: { check: EngineCheck }) {
  const { ok, firstMs, againMs, answered, expected, notes, problem } = check;
  if (!ok && problem) return <Notice trouble={problem} />;
  if (firstMs === null || againMs === null) return <p className="text-sm">{notes.join('; ')}</p>;
  return (
    <p className="text-sm">
      It answered after <span className="times">{Math.round(firstMs)} ms</span>, and again after{' '}
      <span className="times">{Math.round(againMs)} ms</span>: {answered}
      {expected !== null && <span className="block text-muted">Expected: {expected}</span>}
      {notes.map((note) => (
        <span key={note} className="block text-warning">
          {note}
        </span>
      ))}
    </p>
  );
}
