/** The Talk page. */
import { Disc2 } from 'lucide-react';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Link, useSearchParams } from 'react-router';
import { languageName, type Phase, type TalkView } from '@verbalon/client';
import type { AssistantSummary } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { LiveStrip } from '../shared/strip.js';
import { TurnBar } from '../shared/turn-bar.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { OnAScreen } from './on-a-screen.js';
import { Captions, Said } from './captions.js';
import { Beginning, Talking } from './controls.js';
import { ErrandForm, Shown } from './errand-form.js';
import { Devices } from './devices.js';
import { Lineup } from './lineup.js';
import { Meter } from './meter.js';
import { SoundCheck } from './sound-check.js';
import type { Source, TalkSession } from '@verbalon/client/browser';
import { rememberTold, Told, wasTold } from './told.js';
import { money } from '../shared/money.js';

const REFRESH_MS = 3_000;
const STATE_WORDS: Record<Phase, string> = {
  resting: 'Resting: speak and it wakes',
  listening: 'Listening',
  working: 'Thinking',
  answering: 'Answering: speak to interrupt',
};
const KEYED_STATE_WORDS: Record<Phase, string> = {
  ...STATE_WORDS,
  resting: 'Resting: hold Space to talk',
  listening: 'Hold Space to talk',
  answering: 'Answering: hold Space to interrupt',
};
const ONCE_STATE_WORDS: Record<Phase, string> = {
  ...STATE_WORDS,
  resting: 'Press Space to talk',
  answering: 'Answering: press Space to interrupt',
};
const AWAY = {
  title: 'The service does not answer',
  detail: 'this page keeps trying',
  remedy: 'Start it with: verbalon serve',
};

function useKeys(session: TalkSession): void {
  useEffect(() => {
    const isElsewhere = ({ target }: KeyboardEvent) =>
      target instanceof HTMLElement &&
      target.closest('input, textarea, select, button, a, dialog, summary') !== null;
    const down = (event: KeyboardEvent) => {
      if (event.key === 'Escape') session.hush();
      if (event.key !== ' ' || event.repeat || isElsewhere(event)) return;
      event.preventDefault();
      session.press();
    };
    const up = (event: KeyboardEvent) => event.key === ' ' && !isElsewhere(event) && session.release();
    addEventListener('keydown', down);
    addEventListener('keyup', up);
    return () => {
      removeEventListener('keydown', down);
      removeEventListener('keyup', up);
    };
  }, [session]);
}

export function TalkPage({ session }: { session: TalkSession }) {
  const view = useSyncExternalStore(session.subscribe, () => session.view);
  const [search, setSearch] = useSearchParams();
  const assistants = useLoaded(() => http.assistants(), 'assistants', REFRESH_MS);
  const recordings = useLoaded(() => http.recordings(), 'recordings', null);
  const [waiting, setWaiting] = useState<Source | null>(null);
  const [checking, setChecking] = useState(false);
  useKeys(session);
  const all = assistants.value ?? [];
  const assistant =
    all.find(({ name }) => name === search.get('assistant')) ?? all.find(({ isDefault }) => isDefault);
  const name = assistant?.title ?? 'Assistant';
  const live = view.connection === 'open' || view.connection === 'opening' || view.connection === 'away';
  const begin = (source: Source) => void session.begin(source, assistant?.name, assistant?.floor ?? 'open');
  // Whoever is quicker than the list of assistants waits for it: nobody talks before it is told where words
  // go.
  const isTold = assistant ? wasTold(assistant) : assistants.value !== null;
  const ask = (source: Source) => (isTold ? begin(source) : setWaiting(source));
  useEffect(() => {
    if (waiting === null || !isTold) return;
    begin(waiting);
    setWaiting(null);
  }, [waiting, isTold]);
  const agree = () => {
    if (assistant) rememberTold(assistant);
    if (waiting) begin(waiting);
    setWaiting(null);
  };
  return (
    <main className="grow min-w-0 flex flex-col gap-3 p-4 lg:h-screen">
      <Header
        view={view}
        all={all}
        assistant={assistant}
        live={live}
        choose={(one) => setSearch({ assistant: one })}
        session={session}
      />
      {assistants.trouble && <Notice trouble={AWAY} />}
      {view.trouble && <Notice trouble={view.trouble} close={() => session.dismissTrouble()} />}
      <Captions view={view} name={name} />
      <div className="flex justify-between gap-2">
        <p role="status" className="text-sm text-accent min-h-5">
          {view.notice || hint(view, assistant)}
        </p>
        {view.connection === 'open' ? (
          <OnAScreen conversation={view.conversation} />
        ) : (
          <Link
            className="btn btn-xs btn-ghost"
            to="/captions"
            title="What is said is written, and nobody answers"
          >
            Only captions
          </Link>
        )}
      </div>
      <LiveStrip nowMs={session.nowMs} live={view.connection === 'open'} view={view} />
      <div className="grid gap-4 lg:grid-cols-2 grow min-h-0">
        <div
          tabIndex={0}
          role="region"
          aria-label="What was said so far"
          className="overflow-y-auto max-h-60 lg:max-h-none rounded-box border border-base-300 p-3 relative"
        >
          <Said view={view} name={name} />
        </div>
        <div className="rounded-box border border-base-300 p-3 flex flex-col gap-2 justify-between">
          <ErrandForm errand={view.errand} write={(slot, text) => session.write(slot, text)} />
          <Shown screen={view.screen} />
          <TurnBar name="Last turn" report={view.reports.findLast(({ gap }) => gap !== null)} />
          <div className="flex flex-wrap items-end justify-between gap-2">
            <Meter session={session} live={live} />
            <Devices devices={session.devices} choose={(devices) => void session.useDevices(devices)} />
          </div>
        </div>
      </div>
      <div className="sticky bottom-0 bg-base-100 py-2 lg:py-0 lg:static">
        {live ? (
          <Talking session={session} floor={view.floor} pressed={view.pressed} />
        ) : (
          <Beginning recordings={recordings.value ?? []} begin={ask} soundCheck={() => setChecking(true)} />
        )}
      </div>
      {waiting && assistant && <Told assistant={assistant} agree={agree} cancel={() => setWaiting(null)} />}
      {checking && (
        <SoundCheck
          devices={session.devices}
          choose={(devices) => void session.useDevices(devices)}
          close={() => setChecking(false)}
        />
      )}
    </main>
  );
}

interface HeaderProps {
  view: TalkView;
  all: AssistantSummary[];
  assistant: AssistantSummary | undefined;
  live: boolean;
  choose: (name: string) => void;
  session: TalkSession;
}

function Header({ view, all, assistant, live, choose, session }: HeaderProps) {
  return (
    <header className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <h1 className="text-xl font-bold">{assistant?.title ?? 'No assistant'}</h1>
      {all.length > 1 && !live && (
        <select
          className="select select-sm w-40"
          aria-label="Assistant"
          value={assistant?.name}
          onChange={(event) => choose(event.target.value)}
        >
          {all.map(({ name }) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
      <StateBadge view={view} />
      {view.connection === 'open' && view.recorded && (
        <span className="text-sm flex items-center gap-1">
          <Disc2 size={14} aria-hidden /> this talk is recorded
        </span>
      )}
      <span className="grow" />
      {view.spent.map(({ currency, cost, wasted }) => (
        <span
          key={currency}
          className="text-sm times"
          data-testid="spent"
          title={`${currency} ${money(wasted)} of it wasted`}
        >
          {currency} {money(cost)}
        </span>
      ))}
      <Lineup
        entries={assistant?.lineup ?? view.lineup}
        live={live && view.connection === 'open' ? view : null}
        stays={assistant?.stay !== undefined}
        session={session}
      />
    </header>
  );
}

function hint({ connection, phase, hint, hears }: TalkView, assistant: AssistantSummary | undefined): string {
  const mine = navigator.language.split('-')[0];
  if (connection === 'none')
    return assistant && mine !== assistant.language.split('-')[0]
      ? `${assistant.title} speaks ${languageName(assistant.language)}. Talk by microphone, type, or let a recorded caller talk.`
      : 'Talk by microphone, type, or let a recorded caller talk.';
  if (connection === 'opening') return 'Connecting …';
  if (connection === 'away')
    return 'The connection was lost. It is being opened again; what you say in the meantime is kept.';
  if (connection === 'ended') return 'The talk is over. It stays here until you begin another.';
  if (mine !== hears.split('-')[0] && phase !== 'answering') return `${hint} (in ${languageName(hears)})`;
  return phase === 'listening' || phase === 'resting' ? hint : '';
}

function stateWords({ connection, phase, floor, pressed, wake }: TalkView): string {
  if (connection === 'open' && phase === 'resting' && floor === 'open' && !pressed) return restWords(wake);
  if (connection === 'open')
    return pressed
      ? 'Listening to you'
      : { open: STATE_WORDS, press: KEYED_STATE_WORDS, once: ONCE_STATE_WORDS }[floor][phase];
  if (connection === 'opening') return 'Connecting';
  if (connection === 'away') return 'Reconnecting';
  return connection === 'lost' ? 'Connection lost' : 'Not talking';
}

function restWords(wake: TalkView['wake']): string {
  if (wake === 'voice') return STATE_WORDS.resting;
  return wake === 'tap' ? 'Resting: press Space to wake it' : `Resting: say “${wake[0]}” to wake it`;
}

const STATE_LOOKS: Record<Phase, string> = {
  answering: 'badge-secondary',
  resting: 'badge-outline',
  listening: 'badge-primary',
  working: 'badge-neutral',
};

function StateBadge({ view }: { view: TalkView }) {
  const look =
    view.connection === 'away'
      ? 'badge-warning'
      : view.connection === 'open'
        ? STATE_LOOKS[view.phase]
        : 'badge-ghost';
  return (
    <span data-testid="state" className={`badge ${look}`}>
      {stateWords(view)}
    </span>
  );
}
