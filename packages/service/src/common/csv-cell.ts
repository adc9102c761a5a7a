/** A cell of a CSV file (RFC 4180). */

/** A text that begins so is a formula for a spreadsheet; the wide forms are the same to some. */
const FORMULA = /^[=+\-@\t\r＝＋－＠]/u;

/** @param text that somebody else wrote: it is never a formula, and its commas and quotes are its own */
export function csvCell(text: string): string {
  const safe = FORMULA.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}
