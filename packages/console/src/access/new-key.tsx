import { useState, type FormEvent } from 'react';
import { SCOPES, type NewKey, type Scope } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';

const MEANING: Record<Scope, string> = {
  talk: 'hold talks, use engines',
  read: 'see what is kept',
  manage: 'change things, keys among them',
};

/** `isFirst`: whoever makes the first key is signed in with it, so that nobody locks himself out. */
export function NewKeyForm({ isFirst, changed }: { isFirst: boolean; changed: () => void }) {
  const [name, setName] = useState('');
  const [scopes, setScopes] = useState<Scope[]>(['talk']);
  const [days, setDays] = useState('');
  const [talksAtOnce, setTalksAtOnce] = useState('');
  const [made, setMade] = useState<NewKey | null>(null);
  const { doing, trouble, run } = useWork();
  const wanted = isFirst ? [...SCOPES] : scopes;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    run(async () => {
      const limits = talksAtOnce === '' ? {} : { limits: { talksAtOnce: Number(talksAtOnce) } };
      const key = await http.makeKey({
        name: name.trim(),
        scopes: wanted,
        ...(days === '' ? {} : { days: Number(days) }),
        ...limits,
      });
      setMade(key);
      setName('');
      setDays('');
      setTalksAtOnce('');
      if (isFirst) await http.signIn(key.key);
      changed();
    });
  };
  const toggle = (scope: Scope) =>
    setScopes((before) =>
      before.includes(scope) ? before.filter((one) => one !== scope) : [...before, scope],
    );
  return (
    <section aria-label="New key" className="flex flex-col gap-2">
      <h2 className="font-bold">New key</h2>
      {trouble && <Notice trouble={trouble} />}
      <form onSubmit={submit} className="flex flex-wrap gap-3 items-end">
        <label className="flex flex-col gap-1 text-sm">
          Whose it is
          <input
            className="input input-sm w-48"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <fieldset className="flex flex-wrap gap-3 text-sm" disabled={isFirst}>
          <legend>For</legend>
          {SCOPES.map((scope) => (
            <label key={scope} className="flex gap-1 items-center h-8" title={MEANING[scope]}>
              <input
                type="checkbox"
                className="checkbox checkbox-sm"
                checked={wanted.includes(scope)}
                onChange={() => toggle(scope)}
              />
              {scope}
            </label>
          ))}
        </fieldset>
        <Few label="Days it holds" value={days} set={setDays} none="no end" />
        <Few label="Talks at once" value={talksAtOnce} set={setTalksAtOnce} none="no limit" />
        <button
          className="btn btn-sm btn-primary"
          disabled={doing !== null || name.trim() === '' || wanted.length === 0}
        >
          Make the key
        </button>
      </form>
      {isFirst && <p className="text-sm">The first key is for everything; you are signed in with it.</p>}
      {made && (
        <div className="rounded-box bg-base-200 p-2 flex flex-wrap gap-2 items-center" role="status">
          <span>
            The key of <strong>{made.name}</strong>, shown this once:
          </span>
          <code className="break-all select-all" data-testid="new-key">
            {made.key}
          </code>
          <button className="btn btn-xs" onClick={() => void navigator.clipboard.writeText(made.key)}>
            Copy
          </button>
          <button className="btn btn-xs" onClick={() => setMade(null)}>
            I have it
          </button>
        </div>
      )}
    </section>
  );
}

function Few({
  label,
  value,
  set,
  none,
}: {
  label: string;
  value: string;
  set: (value: string) => void;
  none: string;
}) {
  return (
    <label className="flex flex-col gap-1 text-sm">
      {label}
      <input
        className="input input-sm w-24"
        inputMode="numeric"
        pattern="[1-9][0-9]*"
        placeholder={none}
        value={value}
        onChange={(event) => set(event.target.value)}
      />
    </label>
  );
}
