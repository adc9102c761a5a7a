/**
 * One engine at a time: hear a recording, say a sentence, ask a question; each with its time and the request
 * that does the same.
 */
import { useState, type FormEvent, type ReactNode } from 'react';
import type { Trouble } from '@verbalon/client';
import type { AssistantSummary, RecordingSummary, VoiceSummary } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';

/** What was asked for, while it is on its way, or how it ended. */
function useTry<T>(): {
  state: { value: T; ms: number } | null;
  busy: boolean;
  trouble: Trouble | null;
  run: (task: () => Promise<T>) => void;
} {
  const [state, setState] = useState<{ value: T; ms: number } | null>(null);
  const { doing, trouble, run } = useWork();
  const runTask = (task: () => Promise<T>) =>
    run(async () => {
      const from = performance.now();
      setState({ value: await task(), ms: performance.now() - from });
    });
  return { state, busy: doing !== null, trouble, run: runTask };
}

interface CardProps {
  title: string;
  curl: string;
  trouble: Trouble | null;
  run: () => void;
  busy: boolean;
  verb: string;
  children: ReactNode;
  result: ReactNode;
}

function Card({ title, curl, trouble, run, busy, verb, children, result }: CardProps) {
  const submit = (event: FormEvent) => {
    event.preventDefault();
    run();
  };
  return (
    <section className="rounded-box border border-base-300 p-4 flex flex-col gap-3" aria-label={title}>
      <h2 className="text-lg font-bold">{title}</h2>
      <form className="flex flex-col gap-3" onSubmit={submit}>
        {children}
        <button className="btn btn-primary self-start" disabled={busy}>
          {busy ? 'Working …' : verb}
        </button>
      </form>
      {trouble && <Notice trouble={trouble} />}
      <div aria-live="polite">{result}</div>
      <details className="mt-auto">
        <summary className="cursor-pointer text-sm">Same request with curl</summary>
        <pre className="text-xs whitespace-pre-wrap break-all bg-base-200 rounded-field p-2 mt-1">{curl}</pre>
      </details>
    </section>
  );
}

const seconds = (ms: number) => (ms >= 1_000 ? `${(ms / 1_000).toFixed(1)} s` : `${Math.round(ms)} ms`);
const quoted = (value: object) => `'${JSON.stringify(value).replaceAll("'", "'\\''")}'`;

export function Hear({
  assistant,
  recordings,
}: {
  assistant: AssistantSummary;
  recordings: RecordingSummary[];
}) {
  const [file, setFile] = useState<File | null>(null);
  const [name, setName] = useState('');
  const [share, setShare] = useState<number | null>(null);
  const { state, busy, trouble, run } = useTry<{
    text: string;
    spoken: string;
    durationMs: number;
    tookMs: number;
  }>();
  const chosen = name || recordings[0]?.name || '';
  const transcribe = async () => {
    const sound = file ?? new Blob([(await http.recording(chosen)) as Uint8Array<ArrayBuffer>]);
    for await (const event of http.transcribe(sound, { assistant: assistant.name })) {
      if (event.kind === 'progress' && event.ofMs) setShare(event.heardMs / event.ofMs);
      if (event.kind === 'done') {
        setShare(null);
        return event.transcript;
      }
    }
    throw new Error('the answer was cut off');
  };
  const source = file ? file.name : `recordings/${chosen}.wav`;
  const curl = `curl -X POST --data-binary @${source} '${location.origin}/v1/transcribe?format=text&assistant=${assistant.name}'`;
  return (
    <Card
      title="Transcribe a recording"
      verb="Transcribe"
      {...{ curl, trouble, busy }}
      run={() => run(transcribe)}
      result={
        <>
          {busy && share !== null && (
            <progress
              className="progress progress-primary"
              value={share}
              max={1}
              aria-label="How much of it has been heard"
            />
          )}
          {state && (
            <>
              <p data-testid="transcript">{state.value.text || <em>no word was understood</em>}</p>
              <p className="text-sm text-accent">spoken: {state.value.spoken}</p>
              <p className="text-sm times">
                {seconds(state.value.durationMs)} of sound in {seconds(state.value.tookMs)}
              </p>
            </>
          )}
        </>
      }
    >
      <input
        type="file"
        className="file-input w-full"
        accept="audio/*,.webm,.ogg,.flac"
        aria-label="A recording: WAV, FLAC, MP3, Ogg or WebM"
        onChange={(event) => setFile(event.target.files?.[0] ?? null)}
      />
      <select
        className="select w-full"
        aria-label="Recorded caller"
        disabled={file !== null}
        value={chosen}
        onChange={(event) => setName(event.target.value)}
      >
        {recordings.map(({ name: one, title }) => (
          <option key={one} value={one}>
            {title}
          </option>
        ))}
      </select>
    </Card>
  );
}

export function Say({ assistant, voices }: { assistant: AssistantSummary; voices: VoiceSummary[] }) {
  const engine = assistant.lineup.find(({ role }) => role === 'tts')?.engine;
  const known = voices.filter((one) => one.engine === engine);
  const own = known.find(({ usedBy }) => usedBy.includes(assistant.name))?.name ?? known[0]?.name ?? '';
  const [text, setText] = useState(assistant.greeting || 'Good morning. How can I help you?');
  const [dials, setDials] = useState({ rate: 1, volume: 1, pitchHz: 0 });
  const [chosen, setChosen] = useState('');
  const { state, busy, trouble, run } = useTry<{ url: string; firstSoundMs: number; tookMs: number }>();
  const { pitchHz, rate, volume } = dials;
  const request = {
    text,
    assistant: assistant.name,
    voice: chosen || own,
    rate,
    volume,
    ...(pitchHz > 0 ? { pitchHz } : {}),
  };
  const say = async () => {
    const { wav, firstSoundMs, tookMs } = await http.aloud(request);
    return {
      url: URL.createObjectURL(new Blob([wav as Uint8Array<ArrayBuffer>], { type: 'audio/wav' })),
      firstSoundMs,
      tookMs,
    };
  };
  const curl = `curl -H 'content-type: application/json' -d ${quoted(request)} -o said.wav ${location.origin}/v1/aloud`;
  return (
    <Card
      title="Say a sentence"
      verb="Say it"
      {...{ curl, trouble, busy }}
      run={() => run(say)}
      result={
        state && (
          <>
            <audio
              data-testid="said"
              src={state.value.url}
              controls
              autoPlay
              className="w-full"
              aria-label="What was said"
            />
            <p className="text-sm times">
              first sound after {seconds(state.value.firstSoundMs)}, all after {seconds(state.value.tookMs)}
            </p>
          </>
        )
      }
    >
      <textarea
        className="textarea w-full"
        rows={2}
        aria-label="What to say"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <select
        className="select w-full"
        aria-label="Voice"
        value={chosen || own}
        onChange={(event) => setChosen(event.target.value)}
      >
        {known.map(({ name }) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      <Dial
        label={`Rate ${rate.toFixed(1)}`}
        min={0.5}
        max={2}
        step={0.1}
        value={rate}
        set={(value) => setDials({ ...dials, rate: value })}
      />
      <Dial
        label={`Volume ${volume.toFixed(1)}`}
        min={0.1}
        max={2}
        step={0.1}
        value={volume}
        set={(value) => setDials({ ...dials, volume: value })}
      />
      <Dial
        label={pitchHz === 0 ? 'Pitch: its own' : `Pitch ${pitchHz} Hz`}
        min={0}
        max={300}
        step={10}
        value={pitchHz}
        set={(value) => setDials({ ...dials, pitchHz: value < 50 ? 0 : value })}
      />
    </Card>
  );
}

function Dial({
  label,
  set,
  ...range
}: {
  label: string;
  min: number;
  max: number;
  step: number;
  value: number;
  set: (value: number) => void;
}) {
  return (
    <label className="flex items-center gap-3 text-sm">
      <span className="w-28 times">{label}</span>
      <input
        type="range"
        className="range range-xs grow"
        {...range}
        onChange={(event) => set(Number(event.target.value))}
      />
    </label>
  );
}

export function Ask({ assistant }: { assistant: AssistantSummary }) {
  const [text, setText] = useState('What can you do?');
  const { state, busy, trouble, run } = useTry<{
    text: string;
    engine: string;
    firstPieceMs: number;
    tookMs: number;
  }>();
  const request = { text, assistant: assistant.name };
  const curl = `curl -H 'content-type: application/json' -d ${quoted(request)} ${location.origin}/v1/ask`;
  return (
    <Card
      title="Ask a question"
      verb="Ask"
      {...{ curl, trouble, busy }}
      run={() => run(() => http.question(request))}
      result={
        state && (
          <>
            <p data-testid="answer">{state.value.text}</p>
            <p className="text-sm times">
              {state.value.engine}: first piece after {seconds(state.value.firstPieceMs)}, all after{' '}
              {seconds(state.value.tookMs)}
            </p>
          </>
        )
      }
    >
      <textarea
        className="textarea w-full"
        rows={2}
        aria-label="What to ask"
        maxLength={4000}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
    </Card>
  );
}
