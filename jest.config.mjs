/** Three projects by folder (CONTRIBUTING.md, "Tests"): unit, service and live. */
const shared = {
  testPathIgnorePatterns: ['/node_modules/', '/dist/'],
  modulePathIgnorePatterns: ['<rootDir>/.*/dist/package.json'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': '<rootDir>/testing/transform.mjs',
    '/dist/.+\\.js$': '<rootDir>/testing/transform.mjs',
  },
  moduleNameMapper: { '^(\\.{1,2}/.*)\\.js$': '$1' },
};
const project = (name, more = {}) => ({
  ...shared,
  displayName: name,
  testMatch: [`<rootDir>/**/test/${name}/**/*.test.ts`],
  ...more,
});
const shares = {
  globalSetup: '<rootDir>/testing/run-start.mjs',
  globalTeardown: '<rootDir>/testing/run-stop.mjs',
};

export default {
  projects: [project('unit'), project('service', shares), project('live', shares)],
  // How many files at a time: scripts/test.mjs.
  maxWorkers: 1,
  testTimeout: 120_000,
};
