/** The assistants' files: edited with completion and errors in place, saved safely, tried at once. */
import { Save } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { FileText, Trouble } from '@verbalon/client';
import type { AskAnswer, Problem } from '@verbalon/protocol';
import { Notice, troubleOf } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import type { Schema } from './completion.js';
import { YamlEditor } from './yaml-editor.js';

export function AssistantsPage() {
  const { name } = useParams();
  const navigate = useNavigate();
  const { value: all, trouble } = useLoaded(() => http.assistants(), 'assistants', null);
  const chosen = name ?? all?.find(({ isDefault }) => isDefault)?.name;
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-3">
      <header className="flex flex-wrap items-center gap-4">
        <h1 className="text-xl font-bold">Assistants</h1>
        <div role="tablist" className="tabs tabs-border" aria-label="Which assistant">
          {(all ?? []).map((one) => (
            <button
              key={one.name}
              role="tab"
              aria-selected={one.name === chosen}
              className={`tab ${one.name === chosen ? 'tab-active' : ''}`}
              onClick={() => void navigate(`/assistants/${one.name}`)}
            >
              {one.name}
            </button>
          ))}
        </div>
      </header>
      {trouble && <Notice trouble={trouble} />}
      {chosen !== undefined && <File key={chosen} name={chosen} />}
    </main>
  );
}

function File({ name }: { name: string }) {
  const read = () => Promise.all([http.assistantFile(name), http.schema('assistant')]);
  const { value, trouble, again } = useLoaded(read, name, null);
  if (trouble) return <Notice trouble={trouble} />;
  if (!value) return <p>Reading the file …</p>;
  return <Editing key={value[0].etag} file={value[0]} schema={value[1]} again={again} />;
}

function Editing({ file, schema, again }: { file: FileText; schema: Schema; again: () => void }) {
  const [text, setText] = useState(file.yaml);
  const [etag, setEtag] = useState(file.etag);
  const [saved, setSaved] = useState(file.yaml);
  const [problem, setProblem] = useState<Problem | null>(file.problem);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const check = async (draft: string) => {
    const found = (await http.checkAssistant(file.name, draft)).problem;
    setProblem(found);
    return found;
  };
  const save = async () => {
    try {
      const written = await http.writeAssistant(file.name, text, etag);
      setEtag(written.etag);
      setSaved(written.yaml);
      setTrouble(null);
    } catch (error) {
      setTrouble(troubleOf(error));
    }
  };
  const isChanged = text !== saved;
  return (
    <>
      <YamlEditor
        text={file.yaml}
        schema={schema}
        check={check}
        changed={setText}
        label={`The file of ${file.name}`}
      />
      <div className="flex flex-wrap items-center gap-3">
        <button
          className="btn btn-primary"
          disabled={!isChanged || problem !== null}
          onClick={() => void save()}
        >
          <Save size={16} aria-hidden /> Save
        </button>
        <p role="status" className={problem ? 'text-error' : 'text-accent'}>
          {problem
            ? `Line ${problem.line ?? 1}: ${problem.detail.replace(/^[^:\s]+\.yaml:\d+: /, '')}`
            : isChanged
              ? 'Changed, not saved yet.'
              : 'Saved, and in use.'}
        </p>
        {trouble?.title.includes('changed meanwhile') && (
          <button className="btn btn-sm" onClick={again}>
            Read it again
          </button>
        )}
        <Link className="btn btn-ghost ml-auto" to={`/?assistant=${file.name}`}>
          Talk to {file.name}
        </Link>
      </div>
      {trouble && <Notice trouble={trouble} close={() => setTrouble(null)} />}
      <TryIt key={saved} name={file.name} />
    </>
  );
}

/** A question to the assistant as it was saved. */
function TryIt({ name }: { name: string }) {
  const [text, setText] = useState('');
  const [answer, setAnswer] = useState<AskAnswer | null>(null);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const ask = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() === '') return;
    setTrouble(null);
    http
      .question({ text, assistant: name })
      .then(setAnswer, (error: unknown) => setTrouble(troubleOf(error)));
  };
  return (
    <section aria-label="Try it" className="flex flex-col gap-2">
      <form className="join" onSubmit={ask}>
        <input
          className="input join-item w-full"
          aria-label={`Ask ${name}`}
          placeholder={`Try it: ask ${name} something`}
          maxLength={4000}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <button className="btn join-item">Ask</button>
      </form>
      {trouble && <Notice trouble={trouble} />}
      <p aria-live="polite">
        {answer && (
          <>
            {answer.text} <span className="text-sm text-accent times">({Math.round(answer.tookMs)} ms)</span>
          </>
        )}
      </p>
    </section>
  );
}
