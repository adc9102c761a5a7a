/** A new file, from one of the shapes: changed as needed, and written under a name of its own. */
import { useState } from 'react';
import type { Trouble } from '@verbalon/client';
import type { EditableKind } from '@verbalon/protocol';
import { Notice, troubleOf } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';

export function NewFile({ kind, made }: { kind: EditableKind; made: (name: string) => void }) {
  const { value: shapes, trouble: unread } = useLoaded(() => http.shapes(), 'shapes', null);
  const [name, setName] = useState('');
  const [shape, setShape] = useState<string | null>(null);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const own = (shapes ?? []).filter((one) => one.kind === kind);
  const chosen = own.find((one) => one.name === shape) ?? own[0];
  const make = async () => {
    try {
      await http.writeFile(kind, name, chosen!.text, null);
      made(name);
    } catch (error) {
      setTrouble(troubleOf(error));
    }
  };
  if (unread) return <Notice trouble={unread} />;
  return (
    <section aria-label="A new file" className="flex flex-col gap-3">
      <div className="flex flex-wrap items-end gap-3">
        <label className="flex flex-col gap-1 text-sm">
          Name
          <input
            className="input w-56"
            value={name}
            placeholder="lower-case, such as counter"
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label className="flex flex-col gap-1 text-sm">
          Begins as
          <select
            className="select w-96"
            value={chosen?.name ?? ''}
            onChange={(event) => setShape(event.target.value)}
          >
            {own.map((one) => (
              <option key={one.name} value={one.name}>
                {one.title}
              </option>
            ))}
          </select>
        </label>
        <button className="btn btn-primary" disabled={name === '' || !chosen} onClick={() => void make()}>
          Make it
        </button>
      </div>
      {trouble && <Notice trouble={trouble} close={() => setTrouble(null)} />}
      <pre className="bg-base-200 border border-base-300 rounded-field p-3 text-sm overflow-auto max-h-[50vh]">
        {chosen?.text}
      </pre>
    </section>
  );
}
