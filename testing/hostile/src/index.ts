export * from './bad-engine.js';
export * from './bombs.js';
export * from './campaign.js';
export * from './database-proxy.js';
export { copyDemo } from './demo-copy.js';
export * from './messages.js';
export * from './mutated.js';
export { ServiceUnderFire } from './service-under-fire.js';
export * from './small-disk.js';
