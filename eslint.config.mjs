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
      'max-lines-per-function': ['error', { max: 70, skipBlankLines: true, skipComments: true }],
      'max-lines': ['error', { max: 350 }],
      'no-console': 'error',
      'no-control-regex': 'off',
      'no-restricted-syntax': [
        'error',
        { selector: 'ExportDefaultDeclaration', message: 'no default exports' },
        {
          selector: 'BinaryExpression[operator="in"][left.type!="Literal"]',
          message:
            'names that come from outside are looked up with Object.hasOwn: every object has a "constructor"',
        },
      ],
      eqeqeq: 'error',
    },
  },
  { files: ['**/*.mjs'], languageOptions: { globals: globals.node } },
  { files: ['**/*.config.*', 'testing/postgres-*.mjs'], rules: { 'no-restricted-syntax': 'off' } },
  // Lists of operations are long and plain, like JSX.
  {
    files: ['**/*.tsx', '**/test/**', '**/http/*-operations.ts'],
    rules: { 'max-lines-per-function': 'off' },
  },
  below(['packages/core/src/**'], 'node:*', 'protocol', 'engines', 'service', 'client', 'cli'),
  below(['packages/protocol/src/**'], 'node:*', 'engines', 'service', 'client', 'cli'),
  below(['packages/engines/src/**'], 'service', 'client', 'cli'),
  below(['packages/service/src/**'], 'client', 'cli'),
  below(['packages/client/src/**'], 'engines', 'service', 'cli'),
  below(['packages/console/src/**'], 'node:*', 'engines', 'service', 'cli'),
  below(['packages/embed/src/**'], 'node:*', 'engines', 'service', 'console', 'cli'),
  below(['standins/src/**'], '*'),
  // A page of somebody else's.
  { files: ['standins/site/*.js'], languageOptions: { globals: globals.browser } },
);
