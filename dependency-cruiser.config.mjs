/**
 * No module and no folder may depend on itself by way of others. Type-only imports count: whoever reads a file has to read what its
 * types mean.
 */
export default {
  forbidden: [
    {
      name: 'no-circle',
      severity: 'error',
      comment: 'move what both need into a module that both import',
      from: {},
      to: { circular: true },
    },
    {
      name: 'no-circle-of-folders',
      severity: 'error',
      comment: 'move what both need into a folder that both import',
      scope: 'folder',
      from: {},
      to: { circular: true },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    exclude: { path: ['/dist/', '/migrations/'] },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.mjs', '.js'] },
  },
};
