/**
 * A caller is handed over to a person: the other side is asked to ring somebody else (REFER, RFC 3515), and
 * when nobody takes it, the assistant comes back.
 */
import { fillTemplate } from '@verbalon/engines';
import type { PhoneCall } from './phone-call.js';
import { readSipAddress } from './outgoing.js';

/** Nobody has taken it after so long, in ms. */
const PATIENCE_MS = 45_000;

/** @param known what the caller has said for it @returns the address, or null where there is none */
export function addressOf({ to }: { to: string }, known: Readonly<Record<string, string>>): string | null {
  const plain = (value: string) =>
    value
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '');
  const slug = Object.fromEntries(Object.entries(known).map(([name, value]) => [name, plain(value)]));
  const address = String(fillTemplate(to, slug));
  return readSipAddress(address) ? address : null;
}

/** @param values told to whoever takes it, where the telephones between can (User-to-User, RFC 7433) */
export function refer(call: PhoneCall, address: string, values: Readonly<Record<string, string>>): void {
  const { dialog } = call;
  if (!dialog || call.over) return;
  let isSettled = false;
  const settle = (done: boolean, detail: string) => {
    if (isSettled) return;
    isSettled = true;
    clearTimeout(patience);
    call.notified = () => undefined;
    if (done) call.hangUp('the service', `handed over to ${address}`, 'handedOver');
    else if (!call.over) {
      call.enter('taken up', `nobody took it: ${detail}`);
      call.comeBack(detail);
    }
  };
  const patience = setTimeout(() => settle(false, 'nobody answered'), PATIENCE_MS);
  call.onEnd(() => clearTimeout(patience));
  call.notified = (body) => {
    const status = Number(/^SIP\/2\.0 (\d{3})/.exec(body)?.[1]);
    if (status >= 200) settle(status < 300, body.split('\r\n')[0]!.slice(8));
  };
  const userToUser = Buffer.from(JSON.stringify(values)).toString('hex');
  const target =
    Object.keys(values).length === 0 ? address : `${address}?User-to-User=${userToUser}%3Bencoding%3Dhex`;
  call.enter('moved', `handed over to ${address}`);
  dialog.refer(
    { onReject: ({ message }) => settle(false, `${message.statusCode} ${message.reasonPhrase}`) },
    { extraHeaders: [`Refer-To: <${target}>`, `Referred-By: <${dialog.localURI.toString()}>`] },
  );
}
