/**
 * The description of a call's sound (SDP, RFC 8866) by offer and answer (RFC 3264): what is spoken
 * (codecs.ts), and the telephone's keys.
 */
import { isIP } from 'node:net';
import { parse, write } from 'sdp-transform';
import { CLOCK_HZ, CODECS, type Codec } from './codecs.js';
import { MASTER_BYTES, SRTP_SUITE } from './srtp.js';

/** How a side's sound goes. */
export type Direction = 'sendrecv' | 'sendonly' | 'recvonly' | 'inactive';

const KEYS_TYPE = 101;
const KEYS_CODEC = 'telephone-event';

/** Where and how the other side wants sound. */
export interface RemoteSound {
  /** Of IPv4 or IPv6, and no name: nobody is looked up for a stranger. */
  address: string;
  port: number;
  /** Null where there is none: its reports go nowhere. */
  rtcpPort: number | null;
  /** With which it is sealed (srtp.ts); null where it is not. */
  crypto: SoundKey | null;
  codec: Codec;
  /** As the other side numbers it. */
  payloadType: number;
  /** Of keys as events; null where it does not know them. */
  keysType: number | null;
  direction: Direction;
  /** It is offered sealed, and not else. */
  isSealed: boolean;
}

export interface SoundKey {
  /** Of the line of the description: an answer names it. */
  tag: number;
  master: Buffer;
}

const PLAIN = 'RTP/AVP';
const SEALED = 'RTP/SAVP';
const MOST_PORT = 65_535;

const DIRECTIONS = new Set<string>(['sendrecv', 'sendonly', 'recvonly', 'inactive']);

/** @returns null where there is no sound that we speak, or nothing that can be read */
export function readSdp(text: string): RemoteSound | null {
  try {
    return soundIn(parse(text));
  } catch {
    return null;
  }
}

type Media = ReturnType<typeof parse>['media'][number];

const isSound = ({ type, protocol, port }: Media) =>
  type === 'audio' && (protocol === PLAIN || protocol === SEALED) && isPort(port);

/** Where their reports are wanted: beside the sound, where they say nothing else. */
function reportsPortOf({ rtcp, port }: Media): number | null {
  const wanted = rtcp?.port ?? port + 1;
  return isPort(wanted) ? wanted : null;
}

function soundIn(sdp: ReturnType<typeof parse>): RemoteSound | null {
  const media = sdp.media?.find(isSound);
  const address = media?.connection?.ip ?? sdp.connection?.ip;
  if (!media || typeof address !== 'string' || isIP(address) === 0) return null;
  const crypto = keyIn(media.crypto ?? []);
  if (media.protocol === SEALED && crypto === null) return null;
  const spoken = codecsIn(media);
  return (
    spoken && {
      address,
      port: media.port,
      rtcpPort: reportsPortOf(media),
      crypto,
      ...spoken,
      isSealed: media.protocol === SEALED,
      direction: directionOf(address, media.direction ?? sdp.direction),
    }
  );
}

/** The first codec of theirs that is spoken here, and how they send keys; null where there is none. */
function codecsIn(media: Media): Pick<RemoteSound, 'payloadType' | 'codec' | 'keysType'> | null {
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
  const keys = media.rtp?.find(
    ({ codec, payload }) => textOf(codec)?.toLowerCase() === KEYS_CODEC && types.includes(payload),
  );
  return spoken ? { ...spoken, keysType: keys?.payload ?? null } : null;
}

function directionOf(address: string, direction: string | undefined): Direction {
  // The hold of old telephones (RFC 2543): an address that is none.
  if (address === '0.0.0.0') return 'inactive';
  return direction !== undefined && DIRECTIONS.has(direction) ? (direction as Direction) : 'sendrecv';
}

const isPort = (port: unknown): port is number =>
  Number.isInteger(port) && Number(port) > 0 && Number(port) <= MOST_PORT;

/** The first line of a kind that is spoken here (RFC 4568, section 9.1): without an MKI. */
function keyIn(lines: readonly { id: number; suite: string; config: string }[]): SoundKey | null {
  for (const { id, suite, config } of lines) {
    const [, text = ''] = /^inline:([A-Za-z0-9+/=]+)(?:\|(?:2\^)?\d+)?$/.exec(String(config)) ?? [];
    const master = Buffer.from(text, 'base64');
    if (suite === SRTP_SUITE && master.length === MASTER_BYTES) return { tag: Number(id) || 1, master };
  }
  return null;
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
  /** Which version of our description this is: 1 more whenever it changes. */
  version: number;
  session: number;
  direction: Direction;
  /** The key with which our sound is sealed; null for sound that is not. */
  master: Buffer | null;
  /** … and theirs must be, too. */
  mustSeal: boolean;
}

/** @param remote what is answered; without it, it is an offer */
export function writeSdp(
  { address, port, version, session, direction, master, mustSeal }: LocalSound,
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
        // Sealed only if the other side can, where it need not be (RFC 8643).
        protocol: remote ? (remote.isSealed ? SEALED : PLAIN) : mustSeal ? SEALED : PLAIN,
        ...(master === null
          ? {}
          : {
              crypto: [
                {
                  id: remote?.crypto?.tag ?? 1,
                  suite: SRTP_SUITE,
                  config: `inline:${master.toString('base64')}`,
                },
              ],
            }),
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
