/** The command line, where something is wrong: it says what, and what to do. */
import { beforeAll, describe, expect, it } from '@jest/globals';
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import {
  cli,
  freshFolder,
  root,
  startService,
  until,
  verbalon,
  verbalonProgram,
  linesFor,
} from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

const folder = freshFolder();
const put = (name: string, content: Uint8Array | string) => {
  writeFileSync(join(folder, name), content);
  return join(folder, name);
};
const recording = (name: string) => join(root, 'demo/recordings', `${name}.wav`);

describe('with a service', () => {
  let service: SharedService;
  let env: Record<string, string>;
  beforeAll(async () => {
    service = await sharedDemo();
    env = { VERBALON_URL: service.address };
  });

  it.each<[string, string, string]>([
    ['an empty file', put('empty.wav', ''), 'sound-empty'],
    ['no WAV', put('text.wav', 'just some words that are no sound'), 'sound-not-wav'],
    [
      'a file cut short',
      put('cut.wav', readFileSync(recording('miller-asks')).subarray(0, 5_000)),
      'sound-cut-short',
    ],
    ['no file', join(folder, 'nowhere.wav'), 'file-missing'],
  ])('talk --from %s says what is wrong and what to do', async (_name, file, code) => {
    const result = await verbalon(['talk', '--from', file], env);
    expect(result.code).toBe(1);
    expect(result.err).toContain(`[${code}]`);
    expect(result.err).toMatch(/→ \w+/);
  });

  it('talk to an unknown assistant says which there are', async () => {
    const result = await verbalon(['talk', 'nobody', '--from', recording('miller-asks')], env);
    expect(result.code).toBe(1);
    expect(result.out).toMatch('"nobody" is not one of: chat, clouds, echo, porch, porch-only, tanne, tansy');
  });

  it('a second service cannot take the same data folder', async () => {
    const result = verbalonProgram([
      'serve',
      '--port',
      '0',
      '--project',
      join(root, 'demo'),
      '--data',
      service.dataFolder,
    ]);
    expect(result).toMatchObject({ code: 1, err: expect.stringContaining('[data-in-use]') });
  });

  it('a file that is broken while it runs leaves the last good one in use, and is read again when mended', async () => {
    const project = join(freshFolder(), 'demo');
    cpSync(join(root, 'demo'), project, {
      recursive: true,
      filter: (path) => !/node_modules|dist|recordings/.test(path),
    });
    mkdirSync(join(project, '../standins'), { recursive: true });
    cpSync(join(root, 'standins/dist'), join(project, '../standins/dist'), { recursive: true });
    for (const name of ['yaml', 'ws'])
      cpSync(join(root, 'node_modules', name), join(project, '../node_modules', name), { recursive: true });
    writeFileSync(join(project, '../package.json'), '{"type":"module"}');
    const own = await startService(project);
    const file = join(project, 'assistants/tansy.yaml');
    const good = readFileSync(file, 'utf8');
    writeFileSync(file, good.replace('manners:', 'maners:'));
    await until(() => own.log().includes('assistant-broken'));
    expect(own.log()).toMatch(
      /tansy\.yaml:\d+: it has \\"maners\\", which is not known here; \\"manners\\" was probably meant/,
    );
    const titles = async () => (await own.http.assistants()).map(({ title }) => title);
    expect(await titles()).toContain('Tansy of Tarnside Huts');
    writeFileSync(file, good.replace('Tansy of Tarnside Huts', 'Tansy again'));
    await until(async () => (await titles()).includes('Tansy again'));
    await own.stop();
  });
});

describe('without a service', () => {
  it('new takes the answers that are piped to it, one a line', () => {
    const folder = join(freshFolder(), 'ferry');
    const { status, stdout } = spawnSync(process.execPath, [cli, 'new', folder], {
      stdio: [linesFor('Harbour Ferries\nen\n\n\n\ny\n'), 'pipe', 'pipe'],
      encoding: 'utf8',
    });
    expect(status).toBe(0);
    expect(stdout).toContain('verbalon talk harbour-ferries');
    expect(stdout).not.toContain('Nothing of its talks is kept');
    const assistant = readFileSync(join(folder, 'assistants/harbour-ferries.yaml'), 'utf8');
    expect(assistant).toMatch(/^title: "Harbour Ferries"$/m);
    expect(assistant).toMatch(/^recorded: true$/m);
  });

  it('says so, and how to start one', async () => {
    const result = await verbalon(['talk', '--from', recording('miller-asks')], {
      VERBALON_URL: 'http://127.0.0.1:9',
    });
    expect(result.code).toBe(3);
    expect(result.err).toMatch(
      /nothing listens at http:\/\/127\.0\.0\.1:9 \[unreachable\]\n→ Start one with "verbalon serve"/,
    );
  });

  it('serve says when the port is taken', async () => {
    const server = createServer();
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const port = String((server.address() as AddressInfo).port);
    const child = spawn(process.execPath, [
      cli,
      'serve',
      '--port',
      port,
      '--project',
      join(root, 'demo'),
      '--data',
      freshFolder(),
    ]);
    let err = '';
    child.stderr.setEncoding('utf8').on('data', (text: string) => (err += text));
    const [code] = (await once(child, 'exit')) as [number];
    server.close();
    expect(code).toBe(1);
    expect(err).toContain('[port-taken]');
  });

  it.each<[string, string[], string]>([
    [
      'a data folder that cannot be written',
      ['--project', join(root, 'demo'), '--data', join(recording('miller-asks'), 'data')],
      'data-not-writable',
    ],
    ['no project', ['--project', folder, '--data', freshFolder()], 'project-missing'],
    ['a port that is none', ['--port', '70000'], 'a port is 0 to 65535'],
  ])('serve with %s says so', async (_name, args, words) => {
    const result = verbalonProgram(['serve', ...args]);
    // A port that is none is a wrong call; the others fail.
    expect(result.code).toBe(args.includes('--project') ? 1 : 2);
    expect(result.err).toContain(words);
  });

  it('a typo in project.yaml is named with its line', async () => {
    const project = freshFolder();
    writeFileSync(join(project, 'project.yaml'), 'title: Huts\nasistant: tansy\n');
    const result = verbalonProgram(['serve', '--project', project, '--data', freshFolder()]);
    expect(result.err).toMatch(
      /project\.yaml:\d+: it has "asistant", which is not known here; "assistant" was probably meant \[project-broken\]/,
    );
    writeFileSync(join(project, 'project.yaml'), 'title: Huts\nassistant: [\n');
    expect(verbalonProgram(['serve', '--project', project, '--data', freshFolder()]).err).toMatch(
      /project\.yaml:\d+: /,
    );
  });
});

describe('without a service', () => {
  it('what was called wrongly, what failed, and that nobody answers have codes of their own', async () => {
    expect(await verbalon(['nonsense'])).toMatchObject({
      code: 2,
      err: expect.stringContaining("unknown command 'nonsense'"),
    });
    expect((await verbalon(['aloud', 'x', '--rate', '9'])).code).toBe(2);
    expect((await verbalon(['engines', 'chekc'])).code).toBe(2);
    expect((await verbalon(['engines'], { VERBALON_URL: 'http://127.0.0.1:9' })).code).toBe(3);
    expect(await verbalon(['--version'])).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^\d+\.\d+\.\d+\n$/),
    });
    expect(await verbalon(['check', folder])).toMatchObject({
      code: 1,
      err: expect.stringContaining('[project-missing]'),
    });
  });

  it('check tells all mistakes of all files at once; new never overwrites', async () => {
    const project = join(freshFolder(), 'counter');
    expect((await verbalon(['new', project, '--yes', '--title', 'The Counter'])).code).toBe(0);
    expect(await verbalon(['check', project])).toMatchObject({ code: 0, out: '✓ all files can be used\n' });
    expect(await verbalon(['new', project, '--yes'])).toMatchObject({
      code: 1,
      err: expect.stringContaining('[folder-not-empty]'),
    });
    expect((await verbalon(['new', join(project, 'x'), '--yes', '--language', 'de'])).err).toMatch(
      /know English only; choose --ears/,
    );
    writeFileSync(
      join(project, 'engines/bad.yaml'),
      'title: B\nrole: llm\nwire: htp\nwher: x\nlanguages: [en]\n',
    );
    writeFileSync(join(project, 'answers/bad.yaml'), 'title: B\nanswers: []\notherwise: pass\n');
    const { code, out } = await verbalon(['check', project]);
    expect(code).toBe(1);
    expect(out).toMatch(/✗ engines\/bad\.yaml:3: "wire" must be one of .*"http"/);
    expect(out).toMatch(/✗ engines\/bad\.yaml:1: it has "wher"/);
    expect(out).toMatch(/✗ answers\/bad\.yaml:2: "answers" must have at least 1 in its list/);
    expect(JSON.parse((await verbalon(['check', project, '--json'])).out)).toContainEqual(
      expect.objectContaining({ file: 'answers/bad.yaml', line: 2, grade: 'error' }),
    );
  });

  it('a reader that stops reading is no fault', () => {
    const { status, stderr } = spawnSync('sh', ['-c', `${process.execPath} ${cli} --help | head -1`], {
      encoding: 'utf8',
    });
    expect({ status, stderr }).toEqual({ status: 0, stderr: '' });
  });
});
