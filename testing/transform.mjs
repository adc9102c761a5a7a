/**
 * Compiles a module for Jest, and takes the globals that arithmetic uses into it: in the context that Jest
 * makes, each look at one of them costs as much as the arithmetic itself.
 */
import { createTransformer } from '@swc/jest';

const GLOBALS = [
  'Math',
  'Number',
  'Array',
  'Object',
  'Map',
  'Set',
  'Float32Array',
  'Float64Array',
  'Int16Array',
];
// On the first line, so that every other one keeps its number.
const TAKEN = `const { ${GLOBALS.join(', ')} } = globalThis; `;

const swc = createTransformer({
  jsc: { parser: { syntax: 'typescript' }, target: 'es2022' },
  module: { type: 'es6' },
  sourceMaps: 'inline',
});

const withGlobals = (result) => ({ ...result, code: TAKEN + result.code });

export default {
  canInstrument: false,
  getCacheKey: (...args) => `${swc.getCacheKey(...args)}-${TAKEN}`,
  process: (source, file, options) =>
    withGlobals(file.endsWith('.ts') ? swc.process(source, file, options) : { code: source }),
  processAsync: async (source, file, options) =>
    withGlobals(file.endsWith('.ts') ? await swc.processAsync(source, file, options) : { code: source }),
};
