/** Plain JavaScript without packages, as scripts/setup.mjs is. */
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** @returns the folders of the workspaces that package.json names, from the root */
export function workspaceFolders() {
  const { workspaces } = JSON.parse(readFileSync('package.json', 'utf8'));
  return workspaces.flatMap((name) => {
    const parent = dirname(name);
    return name.endsWith('/*') ? readdirSync(parent).map((one) => join(parent, one)) : [name];
  });
}
