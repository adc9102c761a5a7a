/** Messages of errands, waiting and gone, each with how it stands for whom; and whom they may go to. */
import type { ContactSummary, MessageSummary } from '@verbalon/protocol';
import { whenOf } from '../conversations/times.js';
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';
import { isBad, signOf } from './signs.js';

const REFRESH_MS = 3_000;

export function Messages() {
  const { value: messages, trouble, again } = useLoaded(() => http.messages(), 'messages', REFRESH_MS);
  if (messages?.length === 0) return null;
  return (
    <section aria-label="Messages" className="min-w-0">
      <h2 className="font-bold mb-1">Messages</h2>
      {trouble && <Notice trouble={trouble} />}
      <ul className="flex flex-col gap-2">
        {messages?.map((one) => (
          <Message key={one.id} message={one} again={again} />
        ))}
      </ul>
    </section>
  );
}

function Message({ message, again }: { message: MessageSummary; again: () => void }) {
  const { id, text, state, at, deliveries } = message;
  const { doing, trouble, run } = useWork();
  const withdraw = () =>
    run(async () => {
      await http.withdrawMessage(id);
      again();
    });
  return (
    <li className="rounded-box border border-base-300 p-2 text-sm">
      <div className="flex flex-wrap gap-x-3 items-baseline">
        <span className="times">{whenOf(at)}</span>
        <span className={state === 'waiting' ? 'font-bold' : ''}>{stateWords(message)}</span>
        {state === 'waiting' && (
          <button className="btn btn-xs" disabled={doing !== null} onClick={withdraw}>
            Withdraw
          </button>
        )}
      </div>
      <p className="whitespace-pre-wrap break-words">{text}</p>
      <ul className="flex flex-wrap gap-x-4 text-accent">
        {deliveries.map(({ contact, name, state: how, way, why }) => {
          const Sign = signOf(how);
          return (
            <li key={contact} className={`inline-flex items-center gap-1 ${isBad(how) ? 'text-error' : ''}`}>
              <Sign size={14} aria-hidden /> {name}: {how}
              {how === 'sent' && ` by ${way}`}
              {why !== '' && ` (${why})`}
            </li>
          );
        })}
      </ul>
      {trouble && <Notice trouble={trouble} />}
    </li>
  );
}

function stateWords({ state, dueAt, occasion }: MessageSummary): string {
  if (state !== 'waiting') return state;
  return occasion === null
    ? `waits for ${dueAt === null ? 'its time' : whenOf(dueAt)}`
    : `waits until ${occasion}`;
}

export function ContactList() {
  const { value: contacts, trouble } = useLoaded(() => http.contacts(), 'contacts', REFRESH_MS);
  if (contacts?.length === 0) return null;
  return (
    <section aria-label="Contacts" className="min-w-0">
      <h2 className="font-bold mb-1">
        Contacts <span className="font-normal text-accent text-sm">contacts.yaml</span>
      </h2>
      {trouble && <Notice trouble={trouble} />}
      <ul className="grid sm:grid-cols-2 lg:grid-cols-3 gap-x-4 text-sm">
        {contacts?.map((one) => (
          <li key={one.key}>
            <span className="font-bold">{one.name}</span> <span className="text-accent">{whereOf(one)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const whereOf = ({ ways, of }: ContactSummary): string =>
  of.length > 0 ? `a list of ${of.length}` : Object.keys(ways).join(', ') || 'no way leads there';
