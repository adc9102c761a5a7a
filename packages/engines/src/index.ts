export * from './contract.js';
export * from './open-engine.js';
export * from './event-queue.js';
export { guarded, Guard } from './guard/guard.js';
export { freePort, LocalServer } from './local-server.js';
export { PocketSphinxEngine } from './pocketsphinx/engine.js';
export { FliteEngine } from './flite/engine.js';
export { at as atPointer } from './card/pointer.js';
export { namesIn } from './card/template.js';
