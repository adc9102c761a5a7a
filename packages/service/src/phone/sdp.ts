/** The description of a call's sound (SDP, RFC 8866) by offer and answer (RFC 3264): what is spoken (codecs.ts), and the telephone's keys. */
import { parse, write } from 'sdp-transform';
import { CLOCK_HZ, CODECS, type Codec } from './codecs.js';

/** How a side's sound goes. */
export type Direction = 'sendrecv' | 'sendonly' | 'recvonly' | 'inactive';

const KEYS_TYPE = 101;
const KEYS_CODEC = 'telephone-event';

/** Where and how the other side wants sound. */
export interface RemoteSound {
  address: string;
  port: number;
  rtcpPort: number;
  codec: Codec;
  /** As the other side numbers it. */
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
  const codecOf = (type: number) => {
    const name = textOf(media.rtp?.find(({ payload }) => payload === type)?.codec)?.toUpperCase();
    return CODECS.find((one) => (name === undefined ? one.payloadType === type : one.name === name));
  };
  const [spoken] = types.flatMap((payloadType) => {
    const codec = codecOf(payloadType);
    return codec ? [{ payloadType, codec }] : [];
  });
  if (!spoken) return null;
  const keys = media.rtp?.find(
    ({ codec, payload }) => textOf(codec)?.toLowerCase() === KEYS_CODEC && types.includes(payload),
  );
  const direction = (media.direction ?? sdp.direction ?? 'sendrecv') as string;
  return {
    address,
    port: media.port,
    rtcpPort: media.rtcp?.port ?? media.port + 1,
    ...spoken,
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
  const spoken = remote ? [{ name: remote.codec.name, payloadType: remote.payloadType }] : CODECS;
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
          ...spoken.map(({ payloadType }) => payloadType),
          ...(keysType === null ? [] : [keysType]),
        ].join(' '),
        rtp: [
          ...spoken.map(({ name, payloadType }) => ({ payload: payloadType, codec: name, rate: CLOCK_HZ })),
          ...(keysType === null ? [] : [{ payload: keysType, codec: KEYS_CODEC, rate: CLOCK_HZ }]),
        ],
        fmtp: keysType === null ? [] : [{ payload: keysType, config: '0-15' }],
        ptime: 20,
        direction,
      },
    ],
  });
}
