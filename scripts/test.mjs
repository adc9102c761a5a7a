/**
 * Runs the tests: those that drive real talks one after the other, and meanwhile, with the least priority, those that
 * only compute. Arguments go to Jest, and then there is one run of it.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';

const jest = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js'];
const COMPUTING = 'packages/(core|protocol|client)/|standins/';
const asked = process.argv.slice(2);

async function run(program, args) {
  const child = spawn(program, args, { stdio: 'inherit' });
  const [code] = await once(child, 'exit');
  return code ?? 1;
}

const codes =
  asked.length > 0
    ? [await run(process.execPath, [...jest, ...asked])]
    : await Promise.all([
        run(process.execPath, [...jest, '--testPathIgnorePatterns', '/node_modules/', '/dist/', COMPUTING]),
        run('nice', ['-n', '19', process.execPath, ...jest, '--testPathPatterns', COMPUTING]),
      ]);
process.exit(Math.max(...codes));
