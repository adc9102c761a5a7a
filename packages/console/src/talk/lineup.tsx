/** Who hears, thinks and speaks; while a talk goes on, others can take their place. */
import type { EngineSummary, LineupEntry } from '@verbalon/protocol';
import { EngineSign, ROLE_WORDS } from '../shared/engine-sign.js';
import { http, useLoaded } from '../shared/use-loaded.js';

const ROLES = ['stt', 'llm', 'tts'] as const;
type Role = LineupEntry['role'];

export interface LineupProps {
  entries: LineupEntry[];
  /** By role, who serves now; null when no talk goes on. */
  serving: Record<Role, string> | null;
  stays: boolean;
  swap: (role: Role, engine: string) => void;
}

export function Lineup({ entries, serving, stays, swap }: LineupProps) {
  const { value } = useLoaded(() => http.engines(), 'lineup', null);
  return (
    <ul className="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm" aria-label="Lineup">
      {stays && (
        <li
          className="badge badge-outline badge-success"
          title="Nothing you say, and no word of the answers, leaves this machine"
        >
          stays on this machine
        </li>
      )}
      {ROLES.map((role) => {
        const its = entries.filter((one) => one.role === role);
        return serving ? (
          <Swap key={role} role={role} entries={its} engines={value ?? []} now={serving[role]} swap={swap} />
        ) : (
          <Served key={role} role={role} entries={its} />
        );
      })}
    </ul>
  );
}

/** The one that will serve, and how many stand behind it. */
function Served({ role, entries }: { role: Role; entries: LineupEntry[] }) {
  const [first, ...relief] = entries;
  if (!first) return null;
  const { engine, where, state, why } = first;
  const behind = relief.map((one) => `${one.engine} (${one.state}, ${one.where})`).join(', then ');
  return (
    <li
      className="flex items-center gap-1"
      title={why ?? (behind ? `when it fails: ${behind}` : `${engine}: ${where}`)}
    >
      <EngineSign state={state} />
      {ROLE_WORDS[role]}: {engine}{' '}
      <span className="text-accent">
        ({state}, {where}
        {relief.length > 0 && `, ${relief.length} behind it`})
      </span>
    </li>
  );
}

interface SwapProps {
  role: Role;
  entries: LineupEntry[];
  engines: EngineSummary[];
  now: string;
  swap: (role: Role, engine: string) => void;
}

function Swap({ role, entries, engines, now, swap }: SwapProps) {
  const others = engines.filter((one) => one.role === role).map(({ name }) => name);
  const names = [...new Set([...entries.map(({ engine }) => engine), ...others])];
  const state =
    entries.find(({ engine }) => engine === now)?.state ??
    engines.find(({ name }) => name === now)?.state ??
    'ready';
  return (
    <li className="flex items-center gap-1">
      <EngineSign state={state} />
      <label className="flex items-center gap-1">
        {ROLE_WORDS[role]}:
        <select
          className="select select-xs w-32"
          aria-label={`Engine that ${ROLE_WORDS[role]}`}
          value={now}
          onChange={(event) => swap(role, event.target.value)}
        >
          {names.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
    </li>
  );
}
