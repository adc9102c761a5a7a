/** The Talk page. */
import { CircleAlert, CircleCheck, CircleDashed, CircleX, Disc2 } from 'lucide-react';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { HttpClient } from '@verbalon/client';
import type { AssistantSummary, LineupEntry, RecordingSummary } from '@verbalon/protocol';
import { Captions, Said } from './captions.js';
import { Controls } from './controls.js';
import { Meter } from './meter.js';
import { Strip } from './strip.js';
import type { TalkSession } from './talk-session.js';
import type { Phase, TalkView, Trouble } from '@verbalon/client';
import { TurnBar } from './turn-bar.js';

const REFRESH_MS = 3_000;
const STATE_WORDS: Record<Phase, string> = {
  resting: 'Resting: speak and she wakes',
  listening: 'Listening',
  working: 'Thinking',
  answering: 'Answering: speak to interrupt',
};
const ROLE_WORDS = { stt: 'hears', llm: 'thinks', tts: 'speaks' } as const;

interface Around {
  assistants: AssistantSummary[];
  recordings: RecordingSummary[];
  away: boolean;
}

/** What the service has, kept current without a reload. */
function useAround(): Around {
  const [around, setAround] = useState<Around>({ assistants: [], recordings: [], away: false });
  useEffect(() => {
    const http = new HttpClient(location.origin);
    const look = async () => {
      try {
        const [assistants, recordings] = await Promise.all([http.assistants(), http.recordings()]);
        setAround({ assistants, recordings, away: false });
      } catch {
        setAround((before) => ({ ...before, away: true }));
      }
    };
    void look();
    const timer = setInterval(() => void look(), REFRESH_MS);
    return () => clearInterval(timer);
  }, []);
  return around;
}

export function TalkPage({ session }: { session: TalkSession }) {
  const view = useSyncExternalStore(session.subscribe, () => session.view);
  const { assistants, recordings, away } = useAround();
  const assistant = assistants.find(({ isDefault }) => isDefault);
  const name = assistant?.title.split(' ')[0] ?? 'Assistant';
  const live = view.connection === 'open' || view.connection === 'opening';
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => event.key === 'Escape' && session.hush();
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, [session]);
  return (
    <main className="grow min-w-0 flex flex-col gap-3 p-4 lg:h-screen">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h1 className="text-xl font-bold">{assistant?.title ?? 'No assistant'}</h1>
        <StateBadge view={view} />
        {view.connection === 'open' && view.recorded && (
          <span className="text-sm flex items-center gap-1">
            <Disc2 size={14} aria-hidden /> this talk is recorded
          </span>
        )}
        <span className="grow" />
        <Lineup entries={assistant?.lineup ?? view.lineup} />
      </header>
      {away && (
        <Notice
          trouble={{
            title: 'The service does not answer',
            detail: 'this page keeps trying',
            remedy: 'Start it with: npx verbalon serve',
          }}
        />
      )}
      {view.trouble && <Notice trouble={view.trouble} close={() => session.dismissTrouble()} />}
      <Captions view={view} name={name} />
      <p role="status" className="text-sm text-accent min-h-5">
        {view.notice || hint(view)}
      </p>
      <Strip session={session} view={view} />
      <div className="grid gap-4 lg:grid-cols-2 grow min-h-0">
        <div className="overflow-y-auto max-h-60 lg:max-h-none rounded-box border border-base-300 p-3 relative">
          <Said view={view} name={name} />
        </div>
        <div className="rounded-box border border-base-300 p-3 flex flex-col gap-3 justify-between">
          <TurnBar report={view.reports.findLast(({ gap }) => gap !== null)} />
          <div>
            <p className="text-sm mb-1">Microphone</p>
            <Meter session={session} live={live} />
          </div>
        </div>
      </div>
      <div className="sticky bottom-0 bg-base-100 py-2 lg:py-0 lg:static">
        <Controls
          live={live}
          recordings={recordings}
          begin={(source) => void session.begin(source, assistant?.name)}
          hush={() => session.hush()}
          fresh={() => session.fresh()}
          end={() => session.end()}
          type={(text) => session.type(text)}
        />
      </div>
    </main>
  );
}

function hint({ connection }: TalkView): string {
  if (connection === 'none') return 'Talk by microphone, type, or let a recorded walker talk.';
  if (connection === 'opening') return 'Opening the line …';
  if (connection === 'ended') return 'The talk is over. It stays here until you begin another.';
  return '';
}

function StateBadge({ view }: { view: TalkView }) {
  const words =
    view.connection === 'open'
      ? STATE_WORDS[view.phase]
      : view.connection === 'opening'
        ? 'Connecting'
        : view.connection === 'lost'
          ? 'Connection lost'
          : 'Not talking';
  const look =
    view.connection !== 'open'
      ? 'badge-ghost'
      : view.phase === 'answering'
        ? 'badge-secondary'
        : view.phase === 'resting'
          ? 'badge-outline'
          : 'badge-primary';
  return (
    <span data-testid="state" className={`badge ${look}`}>
      {words}
    </span>
  );
}

const ENGINE_SIGNS = {
  ready: { Sign: CircleCheck, look: 'text-success' },
  loading: { Sign: CircleDashed, look: 'text-warning' },
  down: { Sign: CircleX, look: 'text-error' },
} as const;

function Lineup({ entries }: { entries: LineupEntry[] }) {
  return (
    <ul className="flex flex-wrap gap-x-4 text-sm" aria-label="Lineup">
      {entries.map(({ role, engine, where, state, why }) => {
        const { Sign, look } = ENGINE_SIGNS[state];
        return (
          <li key={role} className="flex items-center gap-1" title={why ?? `${engine}: ${where}`}>
            <Sign size={14} className={look} aria-hidden />
            {ROLE_WORDS[role]}: {engine}{' '}
            <span className="text-accent">
              ({state}, {where})
            </span>
          </li>
        );
      })}
    </ul>
  );
}

function Notice({ trouble, close }: { trouble: Trouble; close?: () => void }) {
  return (
    <div role="alert" className="alert border-error text-error bg-base-100 py-2">
      <CircleAlert size={20} aria-hidden />
      <span className="grow">
        <strong>{trouble.title}</strong>: {trouble.detail}.{' '}
        <span className="text-base-content">{trouble.remedy}</span>
      </span>
      {close && (
        <button className="btn btn-sm btn-ghost" onClick={close}>
          Close
        </button>
      )}
    </div>
  );
}
