/**
 * Hides a key in what an engine says, however it is written there. What is shown is hidden first and cut
 * after that.
 */

/** Less of a key than this, at the end of a text that was cut off, is not worth hiding. */
const LEAST_SHOWN = 3;
const HIDDEN = '…';

export type Hide = (text: string) => string;

export const hideNothing: Hide = (text) => text;

/**
 * Hides this key as it is, and in the usual encodings: base64 (at every offset, with either alphabet), URL,
 * JSON, hexadecimal.
 */
export function hiding(secret: string | undefined): Hide {
  if (!secret) return hideNothing;
  const forms = [...new Set(formsOf(secret))].sort((a, b) => b.length - a.length);
  return (text) => {
    let out = text;
    for (const form of forms) out = out.replaceAll(form, HIDDEN);
    for (const form of forms) out = withoutHead(out, form);
    return out;
  };
}

function formsOf(secret: string): string[] {
  const bytes = Buffer.from(secret, 'utf8');
  const base64 = [0, 1, 2].flatMap((before) => {
    // What the bytes before and after have a share in is left out: it differs from place to place.
    const all = Buffer.concat([Buffer.alloc(before), bytes]);
    const whole = all.subarray(0, all.length - (all.length % 3)).toString('base64');
    const inner = whole.slice(before === 0 ? 0 : 4);
    return [inner, inner.replaceAll('+', '-').replaceAll('/', '_')];
  });
  const hex = bytes.toString('hex');
  const written = [
    secret,
    encodeURIComponent(secret),
    JSON.stringify(secret).slice(1, -1),
    hex,
    hex.toUpperCase(),
  ];
  return [...written, ...base64].filter((form) => form.length > LEAST_SHOWN);
}

/** Without a beginning of the key at the end of the text, where the text was cut off in the middle of it. */
function withoutHead(text: string, form: string): string {
  for (let length = Math.min(form.length - 1, text.length); length > LEAST_SHOWN; length--)
    if (text.endsWith(form.slice(0, length))) return text.slice(0, -length) + HIDDEN;
  return text;
}
