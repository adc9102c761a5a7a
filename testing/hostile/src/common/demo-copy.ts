/** A copy of the demo project that may be changed; its stand-ins stay where they are. */
import { cpSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** No files of a project. */
const OTHERS = ['node_modules', 'dist', 'src', 'lists', 'package.json', 'tsconfig.json'];

/**
 * @param root of the repository @param leaveOut more that is not wanted, as it stands in the demo's folder
 */
export function copyDemo(root: string, to: string, leaveOut: readonly string[] = []): void {
  const demo = join(root, 'demo');
  const wanted = readdirSync(demo).filter((name) => !OTHERS.includes(name) && !leaveOut.includes(name));
  for (const name of wanted) cpSync(join(demo, name), join(to, name), { recursive: true });
  const cards = readdirSync(join(to, 'engines')).map((name) => join(to, 'engines', name));
  const own = wanted.includes('project.yaml') ? [join(to, 'project.yaml')] : [];
  for (const path of [...own, ...cards])
    writeFileSync(path, readFileSync(path, 'utf8').replaceAll('../standins', join(root, 'standins')));
}
