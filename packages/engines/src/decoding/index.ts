/** What unpacks sound: for recordings and for voices. */
export * from './decoders.js';
export * from './formats.js';
