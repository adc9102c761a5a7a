/**
 * Holds a service of the demo for several files of tests. `hold-demo.mjs NOTE LOG DATA` starts it, with a log
 * and a data folder, writes where it is into the note, and stops it when it is told to end.
 */
import { fork } from 'node:child_process';
import { openSync, renameSync, writeFileSync } from 'node:fs';

const [note, log, data] = process.argv.slice(2);
const args = ['serve', '--port', '0', '--project', 'demo', '--data', data];
const child = fork('packages/cli/bin/verbalon.mjs', args, {
  stdio: ['ignore', 'ignore', openSync(log, 'w'), 'ipc'],
});
child.once('message', ({ address, pids }) => {
  writeFileSync(`${note}.part`, JSON.stringify({ address, pids, pid: process.pid, dataFolder: data, log }));
  renameSync(`${note}.part`, note);
});
child.once('exit', (code) => process.exit(code ?? 1));
process.once('SIGTERM', () => child.kill('SIGTERM'));
