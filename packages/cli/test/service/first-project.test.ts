/**
 * docs/first-project.md, done as it stands there: every file is written, every command is run, and what it
 * promises is looked for.
 */
import { afterAll, expect, it } from '@jest/globals';
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { cli, freshFolder, OWN_DATABASE, root, until } from '../../../../testing/service.js';

const folder = freshFolder();
const env: Record<string, string | undefined> = { ...process.env, ...OWN_DATABASE };
let service: ChildProcess | null = null;
let log = '';
afterAll(async () => {
  service?.kill('SIGTERM');
  await until(() => service === null || service.exitCode !== null);
});

/** Its blocks in order: a file's name is the last one in backquotes before it. */
function blocks(): { kind: string; text: string; file: string | undefined }[] {
  const text = readFileSync(join(root, 'docs/first-project.md'), 'utf8');
  return [...text.matchAll(/```(\w+)\n([\s\S]*?)```/g)].map(({ 1: kind, 2: body, index }) => ({
    kind: kind!,
    text: body!,
    file: [...text.slice(0, index).matchAll(/`(boathouse\/[^`]+\.\w+)`/g)].at(-1)?.[1],
  }));
}

function run(command: string): string {
  const line = command.replace(/(^|[|&;]\s*)verbalon(?= )/g, `$1${process.execPath} ${cli}`);
  const { stdout, stderr, status } = spawnSync('sh', ['-c', line], { cwd: folder, env, encoding: 'utf8' });
  const told = `${stdout}${stderr}`;
  if (status !== 0) throw new Error(`${command} ended with ${status}: ${told}\n${log.slice(-2_000)}`);
  return told;
}

async function serve(command: string): Promise<void> {
  const args = command.split(' ').slice(1);
  const child = spawn(process.execPath, [cli, ...args, '--port', '0', '--data', join(folder, 'data')], {
    cwd: folder,
    env,
  });
  service = child;
  child.stderr.setEncoding('utf8').on('data', (text: string) => (log += text));
  child.stdout.setEncoding('utf8').on('data', (text: string) => {
    env.VERBALON_URL ??= /serves at (\S+)/.exec(text)?.[1];
  });
  await until(() => env.VERBALON_URL !== undefined);
  await until(async () => (await fetch(`${env.VERBALON_URL}/readyz`)).ok);
}

/**
 * What was written is in use: no file of the project waits to be read, and engines serve by their new cards.
 * @param since how long the log was before
 */
const inUse = async (kind: string, name: string, yaml: string, since: number) =>
  until(async () => {
    const found = (await (await fetch(`${env.VERBALON_URL}/v1/files/${kind}/${name}`)).json()) as {
      text: string;
      problem: unknown;
    };
    const state = (await (await fetch(`${env.VERBALON_URL}/v1/project`)).json()) as {
      findings: { file: string; grade: string }[];
    };
    const told = state.findings.some((one) => one.grade === 'error' && one.file === `${kind}/${name}.yaml`);
    const isServing =
      kind !== 'engines' ||
      found.problem !== null ||
      log.slice(since).includes(`"engine":"${name}","msg":"the card of an engine was read again`);
    return found.text === yaml && (found.problem !== null) === told && isServing;
  });

it('the first project is as its page says', async () => {
  let told = '';
  for (const { kind, text, file } of blocks()) {
    if (kind === 'text') {
      for (const line of text.trim().split('\n')) expect(told).toContain(line);
      continue;
    }
    if (kind === 'sh') {
      told = '';
      for (const command of text.trim().split('\n')) {
        if (command.includes(' serve ')) await serve(command);
        else told += run(command);
      }
      continue;
    }
    mkdirSync(dirname(join(folder, file!)), { recursive: true });
    const since = log.length;
    writeFileSync(join(folder, file!), text);
    const [, name] = /^boathouse\/(?:assistants|engines|answers)\/(.+)\.yaml$/.exec(file!) ?? [];
    if (name !== undefined) await inUse(file!.split('/')[1]!, name, text, since);
  }
  expect(log).not.toMatch(/"level":60/);
}, 200_000);
