export * from './index.js';
export type { Cue } from './cued-speech.js';
export * from './recorded-caller.js';
export * from './typed-talk.js';
export * from './node-socket.js';
