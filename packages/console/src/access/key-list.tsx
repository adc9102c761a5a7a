import type { KeySummary } from '@verbalon/protocol';
import { Notice } from '../shared/notice.js';
import { http } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';

const day = (iso: string | null, none: string) => (iso === null ? none : new Date(iso).toLocaleDateString());

/** How it stands with a key; null for one that holds. */
function over({ expiresAt, revokedAt }: KeySummary): string | null {
  if (revokedAt !== null) return `revoked ${day(revokedAt, '')}`;
  return expiresAt !== null && new Date(expiresAt) <= new Date() ? `expired ${day(expiresAt, '')}` : null;
}

export function KeyList({ keys, changed }: { keys: KeySummary[]; changed: () => void }) {
  const { trouble, run } = useWork();
  const revoke = (name: string) => {
    if (!confirm(`Revoke "${name}"? It opens nothing any more, nor do its page tokens.`)) return;
    run(async () => {
      await http.revokeKey(name);
      changed();
    });
  };
  return (
    <section aria-label="Keys" className="overflow-x-auto">
      <h2 className="font-bold">Keys</h2>
      {trouble && <Notice trouble={trouble} />}
      {keys.length === 0 ? (
        <p>No key yet.</p>
      ) : (
        <table className="table table-sm">
          <thead>
            <tr>
              <th>Name</th>
              <th>For</th>
              <th>Until</th>
              <th>Last used</th>
              <th>Limits</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {keys.map((key) => (
              <tr key={`${key.name} ${key.madeAt}`} className={over(key) === null ? '' : 'text-accent'}>
                <td className="font-bold">{key.name}</td>
                <td>{key.scopes.join(', ')}</td>
                <td>{over(key) ?? day(key.expiresAt, 'no end')}</td>
                <td>{day(key.usedAt, 'never')}</td>
                <td>{limitsOf(key)}</td>
                <td>
                  {over(key) === null && (
                    <button className="btn btn-xs" onClick={() => revoke(key.name)}>
                      Revoke<span className="sr-only"> {key.name}</span>
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function limitsOf({ limits: { talksAtOnce, talksADay } }: KeySummary): string {
  const parts = [
    ...(talksAtOnce === undefined ? [] : [`${talksAtOnce} talks at once`]),
    ...(talksADay === undefined ? [] : [`${talksADay} a day`]),
  ];
  return parts.join(', ') || 'none';
}
