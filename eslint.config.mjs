import js from '@eslint/js';
import globals from 'globals';
import ts from 'typescript-eslint';

/** What a folder may not import: packages above it (docs: CONTRIBUTING.md, "The map"). */
function below(files, ...forbidden) {
  const group = forbidden.map((name) => (name === 'node:*' ? name : `@verbalon/${name}`));
  return {
    files,
    rules: {
      'no-restricted-imports': ['error', { patterns: [{ group, message: 'imports point downward only' }] }],
    },
  };
}

const SYNTAX = [
  { selector: 'ExportDefaultDeclaration', message: 'no default exports' },
  {
    selector: 'BinaryExpression[operator="in"][left.type!="Literal"]',
    message:
      'names that come from outside are looked up with Object.hasOwn: every object has a "constructor"',
  },
];

export default ts.config(
  {
    ignores: [
      '**/dist/**',
      '**/node_modules/**',
      '.verbalon/**',
      'packages/service/migrations/**',
      'packages/core/kernel/**',
    ],
  },
  js.configs.recommended,
  ...ts.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      'max-lines-per-function': ['error', { max: 80, skipBlankLines: true, skipComments: true }],
      // A switch over kinds counts once, however many kinds there are.
      complexity: ['error', { max: 15, variant: 'modified' }],
      'max-depth': ['error', 4],
      'max-len': [
        'error',
        {
          code: 110,
          ignoreUrls: true,
          ignoreStrings: true,
          ignoreTemplateLiterals: true,
          ignoreRegExpLiterals: true,
        },
      ],
      'no-console': 'error',
      'no-control-regex': 'off',
      'no-restricted-syntax': ['error', ...SYNTAX],
      eqeqeq: 'error',
    },
  },
  { files: ['**/*.mjs'], languageOptions: { globals: globals.node } },
  {
    files: ['**/*.config.*', 'testing/run-*.mjs', 'testing/transform.mjs'],
    rules: { 'no-restricted-syntax': 'off' },
  },
  // Tables of numbers that programs of ours write.
  {
    files: ['packages/core/src/**/*-weights.ts', 'packages/core/src/**/*-kernel-code.ts'],
    rules: { 'max-len': 'off' },
  },
  // Still to be divided.
  {
    files: [
      'packages/cli/src/talk-commands.ts',
      'packages/cli/src/talk-screen.tsx',
      'packages/client/src/device-display.ts',
      'packages/console/src/conversations/conversation-page.tsx',
      'packages/console/src/talk/talk-page.tsx',
      'packages/core/src/errands/dialogue.ts',
      'packages/core/src/errands/extract.ts',
      'packages/service/src/project/cards.ts',
      'packages/service/src/project/plan.ts',
      'packages/service/src/talk/session/thoughts.ts',
      'packages/service/test/service/alone.test.ts',
      'standins/src/common/answer.ts',
      'testing/hostile/src/telephone.ts',
      'training/src/upper-band.ts',
      'training/src/voice-weights.ts',
    ],
    rules: { complexity: 'off', 'max-depth': 'off', 'max-lines-per-function': 'off' },
  },
  // Lists of operations are long and plain, like JSX.
  {
    files: ['**/*.tsx', '**/test/**', '**/http/*-operations.ts'],
    rules: { 'max-lines-per-function': 'off' },
  },
  // Core computes: it has no clock, no timers, no chance, and never waits.
  {
    files: ['packages/core/src/**'],
    rules: {
      'no-restricted-syntax': [
        'error',
        ...SYNTAX,
        { selector: 'AwaitExpression', message: 'core never waits' },
        {
          selector: 'NewExpression[callee.name="Date"][arguments.length=0]',
          message: 'core has no clock: the time comes in',
        },
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Math', property: 'random', message: 'core has no chance: seeded.ts' },
        { object: 'Date', property: 'now', message: 'core has no clock: the time comes in' },
      ],
      'no-restricted-globals': [
        'error',
        ...['setTimeout', 'setInterval', 'setImmediate', 'queueMicrotask', 'performance', 'fetch'],
      ],
    },
  },
  below(['packages/core/src/**'], 'node:*', 'protocol', 'engines', 'service', 'client', 'cli'),
  below(['packages/protocol/src/**'], 'node:*', 'engines', 'service', 'client', 'cli'),
  below(['packages/engines/src/**'], 'service', 'client', 'cli'),
  below(['packages/service/src/**'], 'client', 'cli'),
  {
    files: ['packages/service/src/**'],
    ignores: ['packages/service/src/common/ways-out.ts'],
    rules: {
      'no-restricted-globals': [
        'error',
        {
          name: 'fetch',
          message: 'nothing leaves but through ways-out.ts, which keeps what "stay" promises',
        },
      ],
    },
  },
  below(['packages/client/src/**'], 'engines', 'service', 'cli'),
  below(['packages/console/src/**'], 'node:*', 'engines', 'service', 'cli'),
  below(['packages/embed/src/**'], 'node:*', 'engines', 'service', 'console', 'cli'),
  below(['standins/src/**'], '*'),
  // A page of somebody else's.
  { files: ['standins/site/*.js'], languageOptions: { globals: globals.browser } },
);
