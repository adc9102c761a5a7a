/** One stored conversation: the strip with its sound under it, and its turns with their times. */
import { Download } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useParams } from 'react-router';
import { viewOfJournal, type Report } from '@verbalon/client';
import type { Conversation } from '@verbalon/protocol';
import { growthInWords } from '../shared/growth.js';
import { Notice } from '../shared/notice.js';
import { StoredStrip } from '../shared/strip.js';
import { TurnBar } from '../shared/turn-bar.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { lengthOf, whenOf } from './times.js';
import { Correction } from './correction.js';
import { TalkCost } from './talk-cost.js';
import { WhatIf } from './what-if.js';

const FOLLOW_MS = 50;

export function ConversationPage() {
  const { id = '' } = useParams();
  const read = () => Promise.all([http.conversation(id), http.journal(id)]);
  const { value, trouble } = useLoaded(read, id, null);
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-3">
      <p>
        <Link className="link" to="/conversations">
          Conversations
        </Link>
      </p>
      {trouble && <Notice trouble={trouble} />}
      {!value && !trouble && <p>Loading …</p>}
      {value && <Whole conversation={value[0]} journal={value[1]} />}
    </main>
  );
}

function Whole({
  conversation,
  journal,
}: {
  conversation: Conversation;
  journal: Parameters<typeof viewOfJournal>[0];
}) {
  const view = useMemo(() => viewOfJournal(journal), [journal]);
  const durationMs = useMemo(() => journal.reduce((most, { atMs }) => Math.max(most, atMs), 0), [journal]);
  const player = useRef<HTMLAudioElement>(null);
  const [atMs, setAt] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => player.current && setAt(player.current.currentTime * 1000), FOLLOW_MS);
    return () => clearInterval(timer);
  }, []);
  const seek = (ms: number) => {
    if (player.current) player.current.currentTime = ms / 1000;
    setAt(ms);
  };
  const corrections = useLoaded(
    () => http.corrections(conversation.id),
    `corrections-${conversation.id}`,
    null,
  );
  const at = `/v1/conversations/${conversation.id}`;
  return (
    <>
      <header className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-xl font-bold">
          {conversation.assistant}, {whenOf(conversation.startedAt)}
        </h1>
        <p className="text-accent">
          {conversation.line}, {lengthOf(conversation)}; {conversation.ending ?? 'live'}
        </p>
      </header>
      {conversation.recorded ? (
        <>
          <StoredStrip view={view} durationMs={durationMs} atMs={atMs} seek={seek} />
          <audio
            ref={player}
            controls
            preload="auto"
            src={`${at}/audio.wav`}
            className="w-full"
            aria-label="Both sides’ sound: the caller left, the assistant right"
          />
          <p className="flex flex-wrap gap-2">
            {(['audio.wav', 'captions.vtt', 'journal'] as const).map((what) => (
              <a
                key={what}
                className="btn btn-sm"
                href={`${at}/${what}`}
                download={what === 'journal' ? 'journal.json' : what}
              >
                <Download size={14} aria-hidden /> {what}
              </a>
            ))}
          </p>
        </>
      ) : (
        <p>
          This talk was not recorded: neither words nor sound are kept. “recorded: true” in the assistant’s
          file keeps them.
        </p>
      )}
      {conversation.gaps.map(({ what, fromMs, toMs }) => (
        <Notice
          key={`${what}-${fromMs}`}
          trouble={{
            title: 'A part was not kept',
            detail: `${what} from ${fromMs} to ${toMs} ms`,
            remedy: 'The database was away.',
          }}
        />
      ))}
      {conversation.recorded && (
        <WhatIf conversation={conversation.id} view={view} durationMs={durationMs} seek={seek} />
      )}
      <TalkCost conversation={conversation.id} />
      <ol className="space-y-3" aria-label="Turns">
        {conversation.reports.map((report) => (
          <Turn
            key={report.turn}
            report={report}
            name={conversation.assistant ?? 'assistant'}
            hear={() => seek(startOf(report))}
            conversation={conversation.id}
            corrected={corrections.value?.find(({ turn }) => turn === report.turn)?.text ?? null}
            changed={corrections.again}
          />
        ))}
      </ol>
    </>
  );
}

function startOf({ times }: Report): number {
  return Math.max(0, (times.voiceBeganMs ?? times.soundMs ?? times.endpointMs ?? 0) - 200);
}

interface TurnProps {
  report: Report;
  name: string;
  hear: () => void;
  conversation: string;
  corrected: string | null;
  changed: () => void;
}

function Turn({ report, name, hear, conversation, corrected, changed }: TurnProps) {
  return (
    <li className="rounded-box border border-base-300 p-3 grid gap-2 lg:grid-cols-2">
      <div>
        {report.text !== '' && (
          <p>
            <strong className="text-primary">caller</strong> {report.text}
          </p>
        )}
        {report.bySound?.map(({ put, heard }) => (
          <p key={`${put} ${heard}`} className="text-sm text-accent">
            put right by sound: “{put}”, heard as “{heard}”
          </p>
        ))}
        <p>
          <strong className="text-secondary">{name}</strong> {report.heard || <em>was not heard</em>}
          {report.interrupted && <em className="text-error"> ({report.interrupted})</em>}
          {(report.errands ?? []).map(({ run, errand, stage }) => (
            <span key={run} className="badge badge-outline badge-sm ml-2">
              {errand}: {stage}
            </span>
          ))}
        </p>
        {report.generated.trim() !== report.heard && report.generated !== '' && report.heard !== '' && (
          <p className="text-sm text-accent">written: {report.generated}</p>
        )}
        {report.source === 'voice' && (
          <Correction heard={report.text} turn={report.turn} {...{ conversation, corrected, changed }} />
        )}
        <button className="btn btn-xs mt-1" onClick={hear}>
          Play from here
        </button>
      </div>
      <div>
        {report.gap && <TurnBar name="Gap" report={report} />}
        {report.wait && (
          <p className="text-xs text-accent">
            waited {Math.round(report.gap?.parts[0]?.ms ?? report.wait.ms)} ms: {report.wait.reason}
            {report.wait.probability !== undefined && `; ${growthInWords(report.wait)}`}
            {report.headStarts.kept && '; the answer had a head start'}
          </p>
        )}
        {report.reliefs.map(({ role, from, to, why }) => (
          <p key={`${role}-${to}`} className="text-sm text-warning">
            {to} took over from {from}: {why}
          </p>
        ))}
        {report.trouble && <p className="text-sm text-error">trouble: {report.trouble}</p>}
      </div>
    </li>
  );
}
