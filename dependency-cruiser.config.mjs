/**
 * No module and no folder may depend on itself by way of others, and no folder on the files beside it.
 * Type-only imports count: whoever reads a file has to read what its types mean.
 */

/** The folders whose files are not the roof of the folders beside them, but what these stand on. */
const CELLARS = '^packages/client/src/';

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
    {
      name: 'no-roof-from-below',
      severity: 'error',
      comment:
        'files beside folders are their roof: what these share stands in the folder `common` beside them',
      from: { path: '^(.+)/[^/]+/[^/]+$', pathNot: CELLARS },
      to: { path: '^$1/[^/]+[.]tsx?$' },
    },
    {
      name: 'no-roof-of-a-package-from-below',
      severity: 'error',
      comment: 'as above, from any depth',
      from: { path: '^(.+/src)/.+/[^/]+$', pathNot: CELLARS },
      to: { path: '^$1/[^/]+[.]tsx?$' },
    },
    {
      name: 'no-folder-from-its-cellar',
      severity: 'error',
      comment: 'the folders stand on these files, not the other way round',
      from: { path: `${CELLARS}[^/]+$` },
      to: { path: `${CELLARS}.+/` },
    },
    {
      name: 'no-machine-by-another',
      severity: 'error',
      comment:
        'what two machines need is a pure question of conductor/state; what one wants of another is a signal',
      from: { path: 'conductor/machines/' },
      to: { path: 'conductor/machines/' },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    exclude: { path: ['/dist/', '/migrations/'] },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.mjs', '.js'] },
  },
};
