/**
 * Compiles all TypeScript that runs in Node, file by file, without looking at its types: `npm run types` does
 * that. It takes seconds where the compiler takes a minute.
 */
import { mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, relative } from 'node:path';
import { transformFile } from '@swc/core';
import { workspaceFolders } from './workspaces.mjs';

/** Pages are put together by their own builds. */
const PAGES = ['packages/console', 'packages/embed'];

const sourcesIn = (folder) =>
  readdirSync(folder, { recursive: true })
    .filter((name) => /(?<!\.d)\.tsx?$/.test(name))
    .map((name) => join(folder, name));

async function compile(source, folder) {
  const tsx = source.endsWith('.tsx');
  const target = join(folder, 'dist', relative(join(folder, 'src'), source)).replace(/\.tsx?$/, '.js');
  const { code, map } = await transformFile(source, {
    jsc: {
      parser: { syntax: 'typescript', tsx },
      target: 'es2022',
      transform: { react: { runtime: 'automatic' } },
    },
    module: { type: 'es6' },
    sourceMaps: true,
  });
  mkdirSync(dirname(target), { recursive: true });
  writeFileSync(target, `${code}//# sourceMappingURL=${basename(target)}.map\n`);
  writeFileSync(`${target}.map`, map);
}

for (const folder of workspaceFolders().filter((one) => !PAGES.includes(one)))
  await Promise.all(sourcesIn(join(folder, 'src')).map((source) => compile(source, folder)));
