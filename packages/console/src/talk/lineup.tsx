/**
 * Who hears, thinks and speaks, and in which languages; while a talk goes on, others can take their place.
 */
import { languageName, type TalkView } from '@verbalon/client';
import type { EngineSummary, LineupEntry } from '@verbalon/protocol';
import { EngineSign, ROLE_WORDS } from '../shared/engine-sign.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import type { TalkSession } from '@verbalon/client/browser';

const ROLES = ['stt', 'llm', 'tts'] as const;
type Role = LineupEntry['role'];
const LANGUAGE_OF = { stt: 'hears', llm: null, tts: 'speaks' } as const;

const isWide = () => matchMedia('(min-width: 640px)').matches;

export interface LineupProps {
  entries: LineupEntry[];
  /** The talk that goes on; null when none does. */
  live: TalkView | null;
  stays: boolean;
  session: TalkSession;
}

export function Lineup({ entries, live, stays, session }: LineupProps) {
  const { value } = useLoaded(() => http.engines(), 'lineup', null);
  const engines = value ?? [];
  const known = languagesOf(entries, engines);
  return (
    // On a telephone's screen it is folded away.
    <details open={isWide()}>
      <summary className="sm:hidden text-sm cursor-pointer">Engines</summary>
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
          if (!live) return <Served key={role} role={role} entries={its} />;
          const what = LANGUAGE_OF[role];
          return (
            <li key={role} className="flex items-center gap-1">
              <Swap
                role={role}
                entries={its}
                engines={engines}
                now={live.serving[role]}
                swap={(engine) => session.swap(role, engine)}
              />
              {what && (
                <Language
                  what={what}
                  now={live[what]}
                  known={known[what]}
                  choose={(language) => session.setLanguage({ [what]: language })}
                />
              )}
            </li>
          );
        })}
      </ul>
    </details>
  );
}

/** What the lineup can hear; and what it can both think and say. */
function languagesOf(entries: LineupEntry[], engines: EngineSummary[]): Record<'hears' | 'speaks', string[]> {
  const of = (role: Role) =>
    new Set(
      entries
        .filter((one) => one.role === role)
        .flatMap(({ engine }) => engines.find(({ name }) => name === engine)?.languages ?? []),
    );
  const thought = of('llm');
  return {
    hears: [...of('stt')],
    speaks: [...of('tts')].filter((one) => thought.has(one) || thought.has('*')),
  };
}

interface LanguageProps {
  what: 'hears' | 'speaks';
  now: string;
  known: string[];
  choose: (language: string) => void;
}

/** Nothing, where there is no choice. */
function Language({ what, now, known, choose }: LanguageProps) {
  const all = [now, ...known.filter((one) => one.split('-')[0] !== now.split('-')[0])];
  if (all.length < 2) return null;
  return (
    <label className="flex items-center gap-1">
      in
      <select
        className="select select-xs w-28"
        aria-label={`Language it ${what}`}
        value={now}
        onChange={(event) => choose(event.target.value)}
      >
        {all.map((one) => (
          <option key={one} value={one}>
            {languageName(one)}
          </option>
        ))}
      </select>
    </label>
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
  swap: (engine: string) => void;
}

function Swap({ role, entries, engines, now, swap }: SwapProps) {
  const others = engines.filter((one) => one.role === role).map(({ name }) => name);
  const names = [...new Set([...entries.map(({ engine }) => engine), ...others])];
  const state =
    entries.find(({ engine }) => engine === now)?.state ??
    engines.find(({ name }) => name === now)?.state ??
    'ready';
  return (
    <>
      <EngineSign state={state} />
      <label className="flex items-center gap-1">
        {ROLE_WORDS[role]}:
        <select
          className="select select-xs w-32"
          aria-label={`Engine that ${ROLE_WORDS[role]}`}
          value={now}
          onChange={(event) => swap(event.target.value)}
        >
          {names.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
    </>
  );
}
