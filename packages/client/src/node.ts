export * from './index.js';
export * from './recorded-caller.js';
