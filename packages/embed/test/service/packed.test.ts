/** The packages as somebody else installs them: packed, in a project of their own, with their types. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from '@jest/globals';
import { freshFolder, root } from '../../../../testing/service.js';

const PACKED = ['core', 'protocol', 'client', 'embed'];

function run(folder: string, program: string, args: string[]): string {
  const { status, stdout, stderr } = spawnSync(program, args, { cwd: folder, encoding: 'utf8' });
  expect({ args, status, said: status === 0 ? '' : `${stdout}${stderr}` }).toEqual({
    args,
    status: 0,
    said: '',
  });
  return stdout;
}

it('the client and the button are installed from their packages, type-checked and used', () => {
  const folder = freshFolder();
  for (const name of PACKED) run(folder, 'npm', ['pack', '--silent', join(root, 'packages', name)]);
  mkdirSync(join(folder, 'src'));
  const settings = {
    type: 'module',
    private: true,
    dependencies: Object.fromEntries(
      PACKED.map((name) => [`@verbalon/${name}`, `file:verbalon-${name}-0.1.0.tgz`]),
    ),
  };
  writeFileSync(join(folder, 'package.json'), JSON.stringify(settings));
  writeFileSync(
    join(folder, 'src/page.ts'),
    `import '@verbalon/embed';
import type { PageFunction } from '@verbalon/embed';
import { HttpClient } from '@verbalon/client';
const button = document.createElement('verbalon-button');
const showHut: PageFunction = ({ fill }) => fill?.['hut'] === 'Rowan Hut';
button.offer('show-hut', showHut);
button.token = async () => (await new HttpClient('https://voice.example', 'KEY').makeToken({ talks: 1 })).token;
// @ts-expect-error a floor is no number
button.token = 3;
`,
  );
  writeFileSync(
    join(folder, 'use.js'),
    `import { HttpClient } from '@verbalon/client/node';
await new HttpClient('http://127.0.0.1:9').engines().catch((error) => console.log(error.problem.code));
`,
  );
  run(folder, 'npm', ['install', '--silent', '--no-audit', '--no-fund']);
  const compilerOptions = {
    noEmit: true,
    strict: true,
    skipLibCheck: true,
    types: [],
    module: 'ESNext',
    moduleResolution: 'Bundler',
    target: 'ES2022',
    lib: ['ES2022', 'DOM'],
  };
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions, include: ['src'] }));
  run(folder, process.execPath, [join(root, 'node_modules/typescript/bin/tsc')]);
  expect(run(folder, 'node', ['use.js'])).toBe('unreachable\n');
});
