/** Rings somebody, and tells when it is answered. */
import { TELEPHONE_KEYS, type Key } from '@verbalon/core';
import { Grammar, type URI } from 'sip.js';
import type { OutgoingInviteRequest } from 'sip.js/lib/core/index.js';
import type { PhoneCall } from './phone-call.js';
import { readSdp } from './sdp.js';
import type { SipEnd } from './sip-end.js';

/** What may be asked of us in a call. */
export const ALLOW = 'Allow: ACK, BYE, CANCEL, INFO, INVITE, NOTIFY, OPTIONS';
/** It rings for so long, in ms. */
const MOST_RINGING_MS = 60_000;

export interface Outgoing {
  call: PhoneCall;
  end: SipEnd;
  to: URI;
  /** Who rings, as it is shown. */
  from: URI;
  name: string;
  /** What comes with this Call-ID is the call's. */
  known: (callId: string) => void;
  /** Pressed when it is answered. */
  keys: string;
  /** It has been, and its sound is there. */
  answered: () => void;
}

/** @throws ProblemError `phone-ports-used` */
export async function ring({ call, end, to, from, name, known, keys, answered }: Outgoing): Promise<void> {
  await call.openSound();
  let isAnswered = false;
  const message = end.core.makeOutgoingRequestMessage(
    'INVITE',
    to,
    from,
    to,
    { fromDisplayName: name },
    [`Contact: <${end.contact.toString()}>`, ALLOW],
    call.sdp(null),
  );
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
      isAnswered = true;
      if (!remote) return call.hangUp('the service', 'they answer with no sound that is spoken here');
      const wrong = call.whyNot(remote);
      if (wrong) return call.hangUp('the service', wrong);
      call.connect(remote);
      call.enter('connected', '');
      call.press([...keys].filter((key): key is Key => TELEPHONE_KEYS.includes(key as Key)));
      answered();
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
    if (!isAnswered) request.cancel(cause);
  });
}

/** The host of an address of SIP; an empty one for what is none. */
export const sipHost = (address: string): string => readSipAddress(address)?.host ?? '';

/** @returns null for what is no address of SIP */
export function readSipAddress(text: string): URI | null {
  const uri = Grammar.URIParse(text) as URI | undefined;
  return uri && uri.scheme === 'sip' && uri.host ? uri : null;
}
