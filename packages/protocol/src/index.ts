export * from './caller-messages.js';
export * from './service-messages.js';
export * from './frames.js';
export * from './files.js';
export * from './http.js';
export * from './check.js';
export * from './outbox.js';
