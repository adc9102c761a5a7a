/** Who may: the keys of the service, a new one, and what was done with them. */
import { LockKeyhole, LockKeyholeOpen } from 'lucide-react';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { Audit } from './audit.js';
import { KeyList } from './key-list.js';
import { NewKeyForm } from './new-key.js';

const REFRESH_MS = 5_000;

export function AccessPage() {
  const visit = useLoaded(() => http.visit(), 'visit', REFRESH_MS);
  const keys = useLoaded(() => http.keys(), 'keys', REFRESH_MS);
  const isOpen = visit.value?.open ?? false;
  const Sign = isOpen ? LockKeyholeOpen : LockKeyhole;
  const changed = () => {
    visit.again();
    keys.again();
  };
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-4">
      <h1 className="text-xl font-bold">Access</h1>
      {visit.value && (
        <div
          className={`flex flex-wrap gap-2 items-center ${isOpen ? 'text-warning-content bg-warning rounded-box p-2' : ''}`}
        >
          <Sign size={20} aria-hidden />
          {isOpen ? (
            <span>
              <strong>Open.</strong> Everybody on this machine may do everything. From the first key on, the
              service asks for one.
            </span>
          ) : (
            <>
              <span>
                Signed in as <strong>{visit.value.who}</strong>: {visit.value.scopes.join(', ')}.
              </span>
              <button
                className="btn btn-sm"
                onClick={() => void http.signOut().then(() => location.assign('/'))}
              >
                Sign out
              </button>
            </>
          )}
        </div>
      )}
      {keys.trouble && <Notice trouble={keys.trouble} />}
      {keys.value && <KeyList keys={keys.value} changed={changed} />}
      {keys.value && <NewKeyForm isFirst={isOpen} changed={changed} />}
      {keys.value && <Audit />}
    </main>
  );
}
