export * from '../index.js';
export * from './sound-end.js';
export * from './talk-session.js';
