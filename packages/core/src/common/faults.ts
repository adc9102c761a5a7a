/**
 * What core refuses, by a stable code. The words that a person reads stand in the catalogue of the caller.
 */
export type FaultCode =
  | 'answers-broken'
  | 'contacts-broken'
  | 'errand-broken'
  | 'grammar-broken'
  | 'file-broken'
  | 'sound-damaged'
  | 'sound-too-large'
  | 'phrase-malformed'
  | 'sound-empty'
  | 'sound-not-wav'
  | 'sound-cut-short'
  | 'sound-format-unknown'
  | 'sound-rate-out-of-range';

/** Thrown once where something cannot be computed; `detail` says what exactly was found. */
export class Fault extends Error {
  constructor(
    readonly code: FaultCode,
    readonly detail: string,
    /** A JSON Pointer to what is wrong, where it lies in a file. */
    readonly path = '',
  ) {
    super(`${code}: ${detail}`);
    this.name = 'Fault';
  }
}
