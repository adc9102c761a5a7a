/** Three projects by folder (CONTRIBUTING.md, "Tests"): unit, service and live. */
const shared = {
  testPathIgnorePatterns: ['/node_modules/', '/dist/'],
  modulePathIgnorePatterns: ['<rootDir>/.*/dist/package.json'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      {
        jsc: { parser: { syntax: 'typescript' }, target: 'es2022' },
        module: { type: 'es6' },
        sourceMaps: 'inline',
      },
    ],
  },
  moduleNameMapper: { '^(\\.{1,2}/.*)\\.js$': '$1' },
};
const project = (name, more = {}) => ({
  ...shared,
  displayName: name,
  testMatch: [`<rootDir>/**/test/${name}/**/*.test.ts`],
  ...more,
});
const postgres = {
  globalSetup: '<rootDir>/testing/postgres-start.mjs',
  globalTeardown: '<rootDir>/testing/postgres-stop.mjs',
};

export default {
  projects: [project('unit'), project('service', postgres), project('live', postgres)],
  // How many files at a time: scripts/test.mjs.
  maxWorkers: 1,
  testTimeout: 120_000,
};
