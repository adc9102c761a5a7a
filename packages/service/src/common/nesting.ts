/** How deep a text nests, told before anything is made of it: whoever reads it goes as deep. */
const MOST_JSON_DEPTH = 64;
const MOST_YAML_DEPTH = 100;
const [QUOTE, BACKSLASH] = [0x22, 0x5c];
const OPENS = new Set([0x5b, 0x7b]);
const CLOSES = new Set([0x5d, 0x7d]);

/** Is this text of JSON (RFC 8259) nested deeper than anything that is meant? @param bytes UTF-8 */
export function nestsTooDeep(bytes: Uint8Array): boolean {
  let depth = 0;
  let isText = false;
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i]!;
    if (isText) {
      if (byte === BACKSLASH) i++;
      else if (byte === QUOTE) isText = false;
    } else if (byte === QUOTE) isText = true;
    else if (OPENS.has(byte) && ++depth > MOST_JSON_DEPTH) return true;
    else if (CLOSES.has(byte)) depth--;
  }
  return false;
}

/**
 * The same for YAML: brackets that stay open, and lists within lists on one line. Brackets within texts are
 * taken for real ones.
 */
export function yamlNestsTooDeep(text: string): boolean {
  if (/(?:[-?:] +){100}/.test(text)) return true;
  let depth = 0;
  for (const sign of text) {
    if (sign === '[' || sign === '{') depth++;
    else if ((sign === ']' || sign === '}') && depth > 0) depth--;
    if (depth > MOST_YAML_DEPTH) return true;
  }
  return false;
}
