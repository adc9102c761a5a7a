/**
 * The body of a request that holds all of a segment's sound: as it is, in a message, or in parts of a form
 * (RFC 7578).
 */
import { randomBytes } from 'node:crypto';
import type { SendPart } from '@verbalon/protocol';
import { fill, textOf, type Values } from './template.js';

export interface Body {
  bytes: Buffer;
  /** Its media type. */
  type: string;
}

const SOUND_TYPES: Record<string, string> = { wav: 'audio/wav', flac: 'audio/flac' };
const typeOf = ({ encoding }: SendPart) => SOUND_TYPES[encoding ?? ''] ?? 'application/octet-stream';

/** @param sound packed as the card says */
export function packedWhole(send: SendPart, values: Values, sound: Buffer): Body {
  if (send.form === 'parts') return formOf(send, values, sound);
  if (send.sound === undefined || send.sound === 'raw') return { bytes: sound, type: typeOf(send) };
  const message = textOf(fill(send.sound, { ...values, sound: sound.toString('base64') }));
  return { bytes: Buffer.from(message), type: 'application/json' };
}

const BOUNDARY_BYTES = 18;
/** As a browser writes names in a form. */
const quoted = (name: string) => name.replace(/["\r\n]/g, (one) => encodeURIComponent(one));

/** Put together by hand: the platform's FormData copies the sound three times over. */
function formOf(send: SendPart, values: Values, sound: Buffer): Body {
  const boundary = randomBytes(BOUNDARY_BYTES).toString('hex');
  const parts: Buffer[] = [];
  for (const part of send.parts ?? []) {
    const isFile = 'file' in part;
    const value = isFile ? sound : fill(part.value, values);
    if (value === undefined) continue;
    const about = isFile
      ? `; filename="${quoted(part.file)}"\r\ncontent-type: ${part.type ?? typeOf(send)}`
      : '';
    const head = `--${boundary}\r\ncontent-disposition: form-data; name="${quoted(part.name)}"${about}\r\n\r\n`;
    parts.push(
      Buffer.from(head),
      Buffer.isBuffer(value) ? value : Buffer.from(textOf(value)),
      Buffer.from('\r\n'),
    );
  }
  const bytes = Buffer.concat([...parts, Buffer.from(`--${boundary}--\r\n`)]);
  return { bytes, type: `multipart/form-data; boundary=${boundary}` };
}
