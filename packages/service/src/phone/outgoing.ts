/** Rings somebody: who it is and why is said first, and then it is a talk like any other. */
import { TELEPHONE_KEYS, type Key } from '@verbalon/core';
import { Grammar, type URI } from 'sip.js';
import type { OutgoingInviteRequest } from 'sip.js/lib/core/index.js';
import { beginCall } from '../talk/begin-call.js';
import type { Admitted } from '../talk/admit.js';
import type { Host } from '../talk/connection.js';
import { phoneArrival } from './incoming.js';
import type { PhoneCall } from './phone-call.js';
import { readSdp } from './sdp.js';
import type { SipEnd } from './sip-end.js';

/** What may be asked of us in a call. */
export const ALLOW = 'Allow: ACK, BYE, CANCEL, INFO, INVITE, NOTIFY, OPTIONS';
/** It rings for so long, in ms. */
const MOST_RINGING_MS = 60_000;

export interface Outgoing {
  host: Host;
  call: PhoneCall;
  end: SipEnd;
  to: URI;
  /** Who rings, as it is shown. */
  from: URI;
  name: string;
  admitted: Admitted;
  /** What comes with this Call-ID is the call's. */
  known: (callId: string) => void;
  /** Said first. */
  say: string;
  keys: string;
}

/** @throws ProblemError `phone-ports-used` */
export async function ring({
  host,
  call,
  end,
  to,
  from,
  name,
  admitted,
  known,
  say,
  keys,
}: Outgoing): Promise<void> {
  let isAnswered = false;
  try {
    await call.openSound();
  } catch (error) {
    admitted.release();
    throw error;
  }
  const message = end.core.makeOutgoingRequestMessage('INVITE', to, from, to, { fromDisplayName: name }, [
    `Contact: <${end.contact.toString()}>`,
    ALLOW,
  ], call.sdp(null)); // prettier-ignore
  known(message.callId);
  const failed = (why: string) => call.finish('whoever was rung', why, 'refused');
  const request: OutgoingInviteRequest = end.core.invite(message, {
    onProgress: ({ message: { statusCode } }) => {
      if (statusCode === 180 || statusCode === 183) call.enter('ringing', '');
    },
    onAccept: (response) => {
      clearTimeout(patience);
      response.ack();
      const remote = readSdp(response.message.body);
      call.follow(response.session);
      if (call.over) return void response.session.bye();
      if (!remote) return call.hangUp('the service', 'they answer with no sound that is spoken here');
      isAnswered = true;
      call.connect(remote);
      call.enter('connected', '');
      call.press([...keys].filter((key): key is Key => TELEPHONE_KEYS.includes(key as Key)));
      const arrive = phoneArrival(call.names.assistant, to.user ?? '', undefined);
      call.begin(beginCall(host, arrive, admitted, call.line, say));
    },
    onReject: ({ message: { statusCode, reasonPhrase } }) => {
      clearTimeout(patience);
      failed(`${statusCode} ${reasonPhrase}`);
    },
    onRedirect: () => {
      clearTimeout(patience);
      failed('they want another address to be rung');
    },
  });
  // What is to be taken back is taken back when the call ends, whoever ends it.
  const patience = setTimeout(() => failed('nobody answered'), MOST_RINGING_MS);
  call.onEnd((_by, cause) => {
    clearTimeout(patience);
    if (isAnswered) return;
    admitted.release();
    request.cancel(cause);
  });
}

/** @returns null for what is no address of SIP */
export function readSipAddress(text: string): URI | null {
  const uri = Grammar.URIParse(text) as URI | undefined;
  return uri && uri.scheme === 'sip' && uri.host ? uri : null;
}
