/** The description of a call's sound (SDP, RFC 8866) by offer and answer (RFC 3264): G.711 of both laws, and the telephone's keys. */
import { parse, write } from 'sdp-transform';

/** How a side's sound goes. */
export type Direction = 'sendrecv' | 'sendonly' | 'recvonly' | 'inactive';
export type Law = 'PCMU' | 'PCMA';

/** Payload types (RFC 3551) of what is spoken; the first is liked best. */
const LAWS: readonly { law: Law; payloadType: number }[] = [
  { law: 'PCMU', payloadType: 0 },
  { law: 'PCMA', payloadType: 8 },
];
const KEYS_TYPE = 101;
const KEYS_CODEC = 'telephone-event';

/** Where and how the other side wants sound. */
export interface RemoteSound {
  address: string;
  port: number;
  rtcpPort: number;
  law: Law;
  payloadType: number;
  /** Of keys as events; null where it does not know them. */
  keysType: number | null;
  direction: Direction;
}

const DIRECTIONS = new Set<string>(['sendrecv', 'sendonly', 'recvonly', 'inactive']);

/** @returns null where there is no sound that we speak, or nothing that can be read */
export function readSdp(text: string): RemoteSound | null {
  try {
    return soundIn(parse(text));
  } catch {
    return null;
  }
}

function soundIn(sdp: ReturnType<typeof parse>): RemoteSound | null {
  const media = sdp.media?.find(
    ({ type, protocol, port }) => type === 'audio' && protocol === 'RTP/AVP' && port > 0,
  );
  const address = media?.connection?.ip ?? sdp.connection?.ip;
  if (!media || typeof address !== 'string' || media.port > 65_535) return null;
  const types = String(media.payloads ?? '')
    .split(' ')
    .map(Number);
  const nameOf = (type: number) =>
    textOf(media.rtp?.find(({ payload }) => payload === type)?.codec)?.toUpperCase() ??
    LAWS.find(({ payloadType }) => payloadType === type)?.law;
  const payloadType = types.find((type) => LAWS.some(({ law }) => law === nameOf(type)));
  if (payloadType === undefined) return null;
  const keys = media.rtp?.find(
    ({ codec, payload }) => textOf(codec)?.toLowerCase() === KEYS_CODEC && types.includes(payload),
  );
  const direction = (media.direction ?? sdp.direction ?? 'sendrecv') as string;
  return {
    address,
    port: media.port,
    rtcpPort: media.rtcp?.port ?? media.port + 1,
    law: nameOf(payloadType) as Law,
    payloadType,
    keysType: keys?.payload ?? null,
    // The hold of old telephones (RFC 2543): an address that is none.
    direction:
      address === '0.0.0.0' ? 'inactive' : DIRECTIONS.has(direction) ? (direction as Direction) : 'sendrecv',
  };
}

/** A name that is all digits is read as a number. */
const textOf = (name: unknown): string | undefined => (typeof name === 'string' ? name : undefined);

/** The answer to how the other side's sound goes. */
export function answering(direction: Direction): Direction {
  if (direction === 'sendonly') return 'recvonly';
  if (direction === 'recvonly') return 'sendonly';
  return direction;
}

export interface LocalSound {
  address: string;
  port: number;
  /** Of this description, one more each time. */
  version: number;
  session: number;
  direction: Direction;
}

/** @param remote what is answered; without it, it is an offer */
export function writeSdp(
  { address, port, version, session, direction }: LocalSound,
  remote?: RemoteSound,
): string {
  const laws = remote ? [{ law: remote.law, payloadType: remote.payloadType }] : LAWS;
  const keysType = remote ? remote.keysType : KEYS_TYPE;
  const family = address.includes(':') ? 6 : 4;
  return write({
    version: 0,
    origin: {
      username: 'verbalon',
      sessionId: session,
      sessionVersion: version,
      netType: 'IN',
      ipVer: family,
      address,
    },
    name: 'call',
    connection: { version: family, ip: address },
    timing: { start: 0, stop: 0 },
    media: [
      {
        type: 'audio',
        port,
        protocol: 'RTP/AVP',
        payloads: [
          ...laws.map(({ payloadType }) => payloadType),
          ...(keysType === null ? [] : [keysType]),
        ].join(' '),
        rtp: [
          ...laws.map(({ law, payloadType }) => ({ payload: payloadType, codec: law, rate: 8_000 })),
          ...(keysType === null ? [] : [{ payload: keysType, codec: KEYS_CODEC, rate: 8_000 }]),
        ],
        fmtp: keysType === null ? [] : [{ payload: keysType, config: '0-15' }],
        ptime: 20,
        direction,
      },
    ],
  });
}
