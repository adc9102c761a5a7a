export * from './common/contract.js';
export * from './open-engine.js';
export * from './common/event-queue.js';
export { Guard } from './guard/guard.js';
export { guarded } from './guard/guarded.js';
export { freePort, LocalServer } from './local-server.js';
export { PocketSphinxEngine } from './pocketsphinx/engine.js';
export { pronunciationsOf, withPhones } from './pocketsphinx/dictionary.js';
export { FliteEngine } from './flite/engine.js';
export {
  addressOf,
  encodedValues,
  standinAddress,
  withSecret,
  type StandinAddresses,
} from './card/address.js';
export { at as atPointer } from './card/pointer.js';
export { fill as fillTemplate, namesIn } from './card/template.js';
export { hostsOf, isAddress } from './card/hosts.js';
export { childEnvironment } from './hosts/environment.js';
export { KeptProcess } from './hosts/kept-process.js';
export { spawnLimited } from './hosts/limited.js';
