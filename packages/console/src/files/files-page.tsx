/**
 * The project's files: edited with completion and errors in place, saved safely, tried at once; new ones,
 * other names, and away with them.
 */
import { FilePlus, Save, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { FileText, Trouble } from '@verbalon/client';
import type { EditableKind, Problem } from '@verbalon/protocol';
import { Notice, troubleOf } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import type { Schema } from './completion.js';
import { Findings } from './findings.js';
import { NewFile } from './new-file.js';
import { TryIt } from './try-it.js';
import { FileEditor, withoutPlace } from './file-editor.js';

/** `schema`: what the editor completes from; none for what is no YAML. */
const KINDS: readonly { kind: EditableKind; title: string; schema: string | null }[] = [
  { kind: 'assistants', title: 'Assistants', schema: 'assistant' },
  { kind: 'engines', title: 'Engines', schema: 'engine' },
  { kind: 'answers', title: 'Answers', schema: 'answers' },
  { kind: 'errands', title: 'Errands', schema: 'errand' },
  { kind: 'lexicons', title: 'Lexicons', schema: null },
  { kind: 'project', title: 'Project', schema: 'project' },
];

export function FilesPage() {
  const { kind: wanted, name } = useParams();
  const navigate = useNavigate();
  const { value: files, trouble, again } = useLoaded(() => http.files(), 'files', null);
  const kind = KINDS.find((one) => one.kind === wanted)?.kind ?? 'assistants';
  const own = (files ?? []).filter((file) => file.kind === kind);
  const isNew = name === 'new' && wanted !== undefined && !own.some((file) => file.name === 'new');
  const chosen = isNew ? undefined : (name ?? own[0]?.name);
  const go = (to: string) => {
    again();
    void navigate(to);
  };
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-3">
      <header className="flex flex-wrap items-center gap-4">
        <h1 className="text-xl font-bold">Files</h1>
        <div role="tablist" className="tabs tabs-border" aria-label="Which kind of file">
          {KINDS.map((one) => (
            <button
              key={one.kind}
              role="tab"
              aria-selected={one.kind === kind}
              className={`tab ${one.kind === kind ? 'tab-active' : ''}`}
              onClick={() => void navigate(`/files/${one.kind}`)}
            >
              {one.title}
            </button>
          ))}
        </div>
        {kind !== 'project' && (
          <Link className="btn btn-sm ml-auto" to={`/files/${kind}/new`}>
            <FilePlus size={16} aria-hidden /> New
          </Link>
        )}
      </header>
      <nav className="flex flex-wrap gap-1" aria-label="Which file">
        {own.map((file) => (
          <Link
            key={file.name}
            to={`/files/${kind}/${file.name}`}
            aria-current={file.name === chosen ? 'page' : undefined}
            className={`btn btn-sm ${file.name === chosen ? 'bg-base-300' : 'btn-ghost'} ${file.broken ? 'text-error' : ''}`}
          >
            {file.name}
            {file.broken && <span className="sr-only"> cannot be used</span>}
          </Link>
        ))}
      </nav>
      {trouble && <Notice trouble={trouble} />}
      {isNew && <NewFile kind={kind} made={(made) => go(`/files/${kind}/${made}`)} />}
      {chosen !== undefined && <File key={`${kind}/${chosen}`} kind={kind} name={chosen} gone={go} />}
      <Findings />
    </main>
  );
}

interface FileProps {
  kind: EditableKind;
  name: string;
  /** It has another name now, or none. */
  gone: (to: string) => void;
}

function File({ kind, name, gone }: FileProps) {
  const { schema } = KINDS.find((one) => one.kind === kind)!;
  const read = () => Promise.all([http.file(kind, name), schema === null ? null : http.schema(schema)]);
  const { value, trouble, again } = useLoaded(read, `${kind}/${name}`, null);
  if (trouble) return <Notice trouble={trouble} />;
  if (!value) return <p>Reading the file …</p>;
  return <Editing key={value[0].etag} file={value[0]} schema={value[1]} again={again} gone={gone} />;
}

interface EditingProps extends Pick<FileProps, 'gone'> {
  file: FileText;
  schema: Schema | null;
  again: () => void;
}

function Editing({ file, schema, again, gone }: EditingProps) {
  const { kind, name } = file;
  const [text, setText] = useState(file.text);
  const [etag, setEtag] = useState(file.etag);
  const [saved, setSaved] = useState(file.text);
  const [problem, setProblem] = useState<Problem | null>(file.problem);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const check = async (draft: string) => {
    const found = (await http.checkFile(kind, name, draft)).problem;
    setProblem(found);
    return found;
  };
  const save = async () => {
    try {
      const written = await http.writeFile(kind, name, text, etag);
      setEtag(written.etag);
      setSaved(written.text);
      setTrouble(null);
    } catch (error) {
      setTrouble(troubleOf(error));
    }
  };
  const isChanged = text !== saved;
  return (
    <>
      <FileEditor
        text={file.text}
        schema={schema}
        check={check}
        changed={setText}
        label={kind === 'project' ? 'project.yaml' : `The file of ${name}`}
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
            ? `Line ${problem.line ?? 1}: ${withoutPlace(problem)}`
            : isChanged
              ? 'Changed, not saved yet.'
              : 'Saved, and in use.'}
        </p>
        {trouble?.code === 'file-changed' && (
          <button className="btn btn-sm" onClick={again}>
            Read it again
          </button>
        )}
        {kind !== 'project' && (
          <Away kind={kind} name={name} gone={gone} failed={(error) => setTrouble(troubleOf(error))} />
        )}
      </div>
      {trouble && <Notice trouble={trouble} close={() => setTrouble(null)} />}
      {kind === 'assistants' && <TryIt key={saved} name={name} />}
    </>
  );
}

/** Another name for the file, or none. */
function Away({ kind, name, gone, failed }: FileProps & { failed: (error: unknown) => void }) {
  const [isAsked, setAsked] = useState(false);
  const [to, setTo] = useState(name);
  const rename = () => http.renameFile(kind, name, to).then(() => gone(`/files/${kind}/${to}`), failed);
  const remove = () => http.removeFile(kind, name).then(() => gone(`/files/${kind}`), failed);
  return (
    <span className="ml-auto flex flex-wrap items-center gap-2">
      {isAsked ? (
        <>
          <input
            className="input input-sm w-40"
            aria-label="Another name"
            value={to}
            onChange={(event) => setTo(event.target.value)}
          />
          <button className="btn btn-sm" disabled={to === name || to === ''} onClick={() => void rename()}>
            Rename
          </button>
          <button className="btn btn-sm btn-error btn-outline" onClick={() => void remove()}>
            <Trash2 size={14} aria-hidden /> Remove (a copy is kept)
          </button>
          <button className="btn btn-sm btn-ghost" onClick={() => setAsked(false)}>
            Leave it
          </button>
        </>
      ) : (
        <button className="btn btn-sm btn-ghost" onClick={() => setAsked(true)}>
          Rename or remove
        </button>
      )}
      {kind === 'assistants' && (
        <Link className="btn btn-ghost" to={`/?assistant=${name}`}>
          Talk to {name}
        </Link>
      )}
    </span>
  );
}
