/** Who is at this console, and the way in where the service asks for a key. */
import { useState, type FormEvent, type ReactNode } from 'react';
import type { Visit } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';

const REFRESH_MS = 60_000;

/** The pages, for whoever may see them; otherwise the way in. */
export function Gate({ children }: { children: (visit: Visit | null) => ReactNode }) {
  const { value: visit, again } = useLoaded(() => http.visit(), 'visit', REFRESH_MS);
  if (visit && !visit.open && visit.scopes.length === 0) return <SignIn done={again} />;
  return children(visit);
}

function SignIn({ done }: { done: () => void }) {
  const [key, setKey] = useState('');
  const { doing, trouble, run } = useWork();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    run(async () => {
      await http.signIn(key.trim());
      done();
    });
  };
  return (
    <main className="grow min-h-screen grid place-items-center p-4">
      <form onSubmit={submit} className="flex flex-col gap-3 w-full max-w-md">
        <img src="/verbalon.svg" alt="" width="48" height="48" />
        <h1 className="text-xl font-bold">Sign in</h1>
        <p>This service asks for a key. It stays signed in on this browser for twelve hours.</p>
        {trouble && <Notice trouble={trouble} />}
        <label className="flex flex-col gap-1">
          Key
          <input
            className="input w-full font-mono"
            type="password"
            autoComplete="current-password"
            autoFocus
            value={key}
            onChange={(event) => setKey(event.target.value)}
          />
        </label>
        <button className="btn btn-primary" disabled={doing !== null || key.trim() === ''}>
          Sign in
        </button>
        <p className="text-sm">
          No key? Whoever runs the service makes one: <code>verbalon keys new NAME --scope talk read</code>
        </p>
      </form>
    </main>
  );
}
