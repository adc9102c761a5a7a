export * from './http-client.js';
export * from './line.js';
export * from './playout.js';
export * from './local-duck.js';
export * from './talk-view.js';
export * from './device-display.js';
export * from './stored-talk.js';
export * from './price-words.js';
