export * from './contract.js';
export * from './open-engine.js';
export * from './event-queue.js';
export { PocketSphinxEngine } from './pocketsphinx/engine.js';
export { FliteEngine } from './flite/engine.js';
export { LinesEngine } from './lines/engine.js';
