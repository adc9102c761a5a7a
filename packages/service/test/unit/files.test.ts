/** Files of a project and of the data folder, whatever is in them: only the one that is wrong suffers. */
import { afterAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import {
  mkdirSync,
  readFileSync,
  readdirSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type { ProjectEvents } from '../../src/project/events.js';
import { EditableFile } from '../../src/project/editable-file.js';
import { Project } from '../../src/project/project.js';
import { findingsOf } from '../../src/project/findings.js';
import { Secrets } from '../../src/project/secrets.js';
import { newlyRun } from '../../src/project/runs-code.js';
import { insideOf, readRegular } from '../../src/project/inside.js';
import { smallDisk } from '@verbalon/hostile';
import { problemFrom } from '../../src/problems/problem-from.js';
import { BroughtRecordings } from '../../src/sound/brought.js';
import { listRecordings, recordedSayings, recordingsOf } from '../../src/sound/recordings.js';
import { takeDataFolder } from '../../src/common/data-folder.js';
import { ASSISTANT, cloudsProject } from '../../../../testing/clouds-project.js';
import { freshFolder } from '../../../../testing/service.js';

const LINEUP = 'lineup: { stt: ears, llm: thinker, tts: voice }\n';

function events(heard: string[], admit: ProjectEvents['admit'] = () => Promise.resolve()): ProjectEvents {
  return {
    admit,
    changed: ({ name }) => void heard.push(`changed ${name}`),
    broken: ({ detail }) => void heard.push(`broken ${detail}`),
    engine: (name) => Promise.resolve(void heard.push(`engine ${name}`)),
    restart: (what) => void heard.push(`restart ${what}`),
    secrets: () => Promise.resolve(void heard.push('secrets')),
    module: (path) => void heard.push(`module ${path}`),
  };
}

describe('a file that is wrong', () => {
  const wrong: [string, string, RegExp][] = [
    ['an alias', 'greeting: *waves*\n', /odd\.yaml:\d+: "\*waves\*" stands for nothing here/],
    [
      'aliases that grow',
      'greeting: a\nnames: [&a [b,b], &c [*a,*a,*a,*a,*a,*a,*a,*a,*a,*a], &d [*c,*c,*c,*c,*c,*c,*c,*c,*c,*c], [*d,*d,*d]]\n',
      /odd\.yaml:\d+: its aliases/,
    ],
    [
      'a slot that every object has',
      "expect: { phrases: ['to <constructor>'] }\n",
      /odd\.yaml:\d+: .*<constructor> is not given/,
    ],
    [
      'a stage at no address',
      "stages: { heard: { at: 'http://' } }\n",
      /odd\.yaml:\d+: "http:\/\/" is no address/,
    ],
    [
      'a stage that is not there',
      'stages: { heard: { at: stages/nothing.mjs } }\n',
      /is no file of the project folder/,
    ],
    [
      'a stage outside the project',
      'stages: { heard: { at: ../../x.mjs } }\n',
      /is no file of the project folder/,
    ],
    ['a lexicon outside the project', 'lexicon: ../../x.pls\n', /lexicon/],
    [
      'too many forms',
      "expect: { phrases: ['<a> <a> <a> <a> <a> <a> <a> <a> <a> <a>'], slots: { a: [a, b, c, d, e, f, g, h, i, j] } }\n",
      /this phrase has more than/,
    ],
  ];

  it.each(wrong)(
    'with %s is refused with its line, at the start and while it runs',
    async (_what, text, words) => {
      const folder = cloudsProject();
      const file = join(folder, 'assistants/odd.yaml');
      writeFileSync(file, ASSISTANT + LINEUP + text);
      const project = new Project(folder);
      expect([...project.problems().values()][0]).toMatchObject({ detail: expect.stringMatching(words) });
      expect(project.list().map(({ name }) => name)).toContain('clouds');
      // A good one, then the wrong one: the good one stays.
      writeFileSync(file, `${ASSISTANT}greeting: Hello.\n${LINEUP}`);
      const heard: string[] = [];
      project.watch(events(heard));
      await project.readAgain({ what: 'assistants', name: 'odd' });
      writeFileSync(file, ASSISTANT + LINEUP + text);
      await project.readAgain({ what: 'assistants', name: 'odd' });
      expect(project.assistant('odd').plan.greeting).toBe('Hello.');
      expect(heard).toEqual(['changed odd', expect.stringMatching(words)]);
      await project.close();
    },
  );

  it('of answers, with an unknown alias, hurts nothing else', () => {
    const folder = cloudsProject();
    writeFileSync(
      join(folder, 'answers/porch.yaml'),
      'title: T\nanswers: [{ when: [*x], say: [a] }]\notherwise: pass\n',
    );
    const project = new Project(folder);
    expect([...project.problems().values()].map(({ detail }) => detail)).toEqual([
      expect.stringMatching(/porch\.yaml:2: "\*x" stands for nothing/),
    ]);
    expect(() => project.answers('porch')).toThrow(/stands for nothing/);
    expect(project.list().length).toBeGreaterThan(3);
  });

  it('of an engine makes those that name it wrong, and no others', () => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'engines/birch-mind.yaml'), 'title: T\n');
    const project = new Project(folder);
    expect(project.list().map(({ name }) => name)).not.toContain('locked');
    expect(project.list().map(({ name }) => name)).toContain('clouds');
    const locked = project.problems().get('assistants/locked');
    expect(locked!.detail).toMatch(/the card of "birch-mind" cannot be used: .*birch-mind\.yaml/);
  });

  it('with 10,000 unknown keys tells the first 20', () => {
    const project = new Project(cloudsProject());
    const keys = Array.from({ length: 10_000 }, (_, i) => `key${i}: 1\n`).join('');
    const { detail } = new EditableFile(project, 'assistants', 'odd').problemIn(ASSISTANT + LINEUP + keys)!;
    expect(detail.match(/is not known here/g)).toHaveLength(20);
    expect(detail).toMatch(/and 9,?\d+ more/);
  });

  it('that cannot be had of its engines is not taken; the last good one stays', async () => {
    const folder = cloudsProject();
    const project = new Project(folder);
    const heard: string[] = [];
    const good = project.assistant('clouds');
    project.watch(events(heard, () => Promise.reject(new Error('no port is left'))));
    await project.readAgain({ what: 'assistants', name: 'clouds' });
    expect(project.assistant('clouds')).toBe(good);
    expect(heard).toEqual([expect.stringContaining('no port is left')]);
    await project.close();
  });
});

describe('files that change', () => {
  const CARD = 'title: Says it back\nrole: llm\nwire: echo\nwhere: on-machine\nlanguages: [en]\n';
  const started = () => {
    const folder = cloudsProject();
    const project = new Project(folder);
    const heard: string[] = [];
    project.watch(events(heard));
    return { folder, project, heard };
  };

  it('a card is read again; a broken one leaves the last good one; a removed one is told where it is named', async () => {
    const { folder, project, heard } = started();
    const file = join(folder, 'engines/echo.yaml');
    writeFileSync(file, CARD.replace('Says', 'Shouts'));
    await project.readAgain({ what: 'engines', name: 'echo' });
    expect(project.engines.get('echo')!.title).toBe('Shouts it back');
    writeFileSync(file, 'title: x\n');
    await project.readAgain({ what: 'engines', name: 'echo' });
    expect(project.engines.get('echo')!.title).toBe('Shouts it back');
    rmSync(file);
    await project.readAgain({ what: 'engines', name: 'echo' });
    expect(project.engines.has('echo')).toBe(false);
    expect(project.assistant('echo').plan.lineup.llm).toEqual(['echo']);
    expect(project.problems().get('assistants/echo')!.detail).toMatch(/"echo" has no card/);
    writeFileSync(file, CARD);
    await project.readAgain({ what: 'engines', name: 'echo' });
    expect(project.problems().has('assistants/echo')).toBe(false);
    expect(heard.filter((one) => one.startsWith('engine'))).toHaveLength(3);
    await project.close();
  });

  it('project.yaml takes effect, but for stand-ins, which want another start; keys, modules and answers are told', async () => {
    const { folder, project, heard } = started();
    const file = join(folder, 'project.yaml');
    const text = readFileSync(file, 'utf8');
    writeFileSync(file, text.replace(/^title: .*$/m, 'title: Another title'));
    await project.readAgain({ what: 'project' });
    expect(project.file.title).toBe('Another title');
    expect(heard).toEqual([]);
    writeFileSync(file, `${text}  - { name: more, start: [x.js] }\n`);
    await project.readAgain({ what: 'project' });
    writeFileSync(file, 'title: [\n');
    await project.readAgain({ what: 'project' });
    expect(project.file.title).not.toBe('');
    await project.readAgain({ what: 'secrets' });
    await project.readAgain({ what: 'module', path: 'stages/own.mjs' });
    await project.readAgain({ what: 'module', path: 'stages/of-nobody.mjs' });
    expect(heard).toEqual([
      'restart project.yaml: "standins" was changed',
      expect.stringMatching(/^broken .*project\.yaml:/),
      'secrets',
      'module stages/own.mjs',
    ]);
    await project.close();
  });

  it('keys come from .env, below those of the environment', () => {
    const folder = freshFolder();
    writeFileSync(join(folder, '.env'), 'A=1\nB="two words"\n');
    const secrets = new Secrets(folder, () => undefined, { C: 'made' }, { A: 'set' });
    expect(secrets.values).toMatchObject({ A: 'set', B: 'two words', C: 'made' });
    writeFileSync(join(folder, '.env'), 'A=1\nD=4\n');
    expect(secrets.readAgain().sort()).toEqual(['B', 'D']);
    expect(secrets.values).toEqual({ A: 'set', C: 'made', D: '4' });
  });
});

describe('findings', () => {
  it('name what is broken and whom it stops, keys that are missing, what nobody uses, and patterns in the way of others', () => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'engines/birch-mind.yaml'), 'title: T\nrole: llm\nwire: htp\n');
    writeFileSync(
      join(folder, 'engines/keyed.yaml'),
      readFileSync(join(folder, 'engines/alder-mind.yaml'), 'utf8').replace('ALDER_KEY', 'NO_KEY'),
    );
    writeFileSync(
      join(folder, 'answers/porch.yaml'),
      "title: T\nanswers:\n  - { when: ['is it [very] open'], say: [Yes.] }\n  - { when: ['is it open'], say: [No.] }\notherwise: pass\n",
    );
    const found = findingsOf(new Project(folder), {});
    const of = (file: string) => found.filter((one) => one.file === file);
    expect(of('engines/birch-mind.yaml').slice(0, 1)).toMatchObject([
      {
        line: 3,
        grade: 'error',
        stops: expect.arrayContaining(['locked']),
        detail: expect.stringMatching(/"wire" must be one of .*"http".* where "role" is "llm"/),
      },
    ]);
    expect(of('engines/keyed.yaml').map(({ detail }) => detail)).toEqual([
      expect.stringMatching(/NO_KEY is not set: put NO_KEY=… into \.env/),
      'no assistant names it',
    ]);
    expect(of('answers/porch.yaml')).toMatchObject([
      { grade: 'note', detail: '"is it open" can never answer: "is it [very] open" always fits first' },
    ]);
  });
});

describe('over HTTP', () => {
  it('a file may not come to name code that is run', () => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'stages/other.mjs'), '');
    const project = new Project(folder);
    const staged = readFileSync(project.fileOf('assistants', 'staged'), 'utf8');
    expect(newlyRun(project, 'assistants', 'staged', staged)).toBeNull();
    expect(newlyRun(project, 'assistants', 'staged', staged.replace('own.mjs', 'other.mjs'))).toBe(
      'the module stages/other.mjs',
    );
    const fresh = `${ASSISTANT}lineup: { stt: ears, llm: thinker, tts: { engine: espeak, settings: { voice: '-w/etc/x' } } }\n`;
    expect(newlyRun(project, 'assistants', 'clouds', fresh)).toContain('the program of the engine espeak');
    expect(newlyRun(project, 'assistants', 'clouds', ASSISTANT + LINEUP)).toBeNull();
    const espeak = readFileSync(project.fileOf('engines', 'espeak'), 'utf8');
    expect(newlyRun(project, 'engines', 'espeak', espeak)).toBeNull();
    expect(newlyRun(project, 'engines', 'other', espeak)).toMatch(/the program .*espeak-ng/);
    expect(newlyRun(project, 'engines', 'espeak', espeak.replace('espeak-ng,', 'rm,'))).toMatch(
      /the program .*rm/,
    );
  });
});

describe('the folder', () => {
  it('is never left, by names or by links, and no FIFO is waited for', () => {
    const folder = cloudsProject();
    const outside = freshFolder();
    writeFileSync(join(outside, 'secret.txt'), 'secret');
    symlinkSync(outside, join(folder, 'link'));
    symlinkSync(join(outside, 'secret.txt'), join(folder, 'link.txt'));
    for (const name of ['..', '../x', '/etc/passwd', 'link', 'link/secret.txt', 'link.txt', 'nothing'])
      expect(insideOf(folder, name)).toBeNull();
    expect(insideOf(folder, 'stages/own.mjs')).toMatch(/own\.mjs$/);
    mkdirSync(join(folder, 'more'));
    spawnSync('mkfifo', [join(folder, 'more/a.wav'), join(folder, 'more/a.txt')]);
    expect(readRegular(join(folder, 'more/a.txt'), 100)).toBeNull();
    expect(recordedSayings(join(folder, 'more'))).toEqual([]);
    writeFileSync(join(folder, 'more/b.txt'), 'hello');
    writeFileSync(join(folder, 'more/b.wav'), 'no sound');
    expect(() => recordedSayings(join(folder, 'more'), ['b'])).toThrow();
    expect(recordingsOf(join(folder, 'more'))).toBeNull();
    symlinkSync(join(outside, 'secret.txt'), join(folder, 'recordings/stolen.wav'));
    expect(listRecordings(folder).map(({ name }) => name)).not.toContain('stolen');
  });
});

describe('the data folder', () => {
  it('is free where its holder is gone, though its number was given to another program', () => {
    const folder = freshFolder();
    for (const left of ['', '1', `${process.ppid} 12345`, 'x y z', `${process.ppid}`]) {
      writeFileSync(join(folder, 'service.pid'), left);
      takeDataFolder(folder).release();
    }
  });

  it('is refused while another service holds it', () => {
    const folder = freshFolder();
    const holder = takeDataFolder(folder);
    const stat = readFileSync(`/proc/${process.ppid}/stat`, 'utf8');
    const began = stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
    writeFileSync(join(folder, 'service.pid'), `${process.ppid} ${began}`);
    expect(() => takeDataFolder(folder)).toThrow(/is used by process/);
    holder.release();
  });
});

describe('recordings that are brought', () => {
  const ID = '00000000-0000-4000-8000-000000000001';
  const bytes = (count: number) => Readable.from([Buffer.alloc(count)]);

  it('lie in a folder of their own, by plain names, and not for ever', async () => {
    const brought = new BroughtRecordings(freshFolder());
    await brought.take(ID, 'a.wav', bytes(100));
    const folder = brought.folderOf(ID);
    expect(readdirSync(folder)).toEqual(['a.wav']);
    for (const name of ['../a.wav', 'a/b.wav', '.wav', '.a.wav', 'a.mjs', 'a.wav\n', ''])
      await expect(brought.take(ID, name, bytes(1))).rejects.toMatchObject({ code: 'request-broken' });
    utimesSync(folder, 0, 0);
    await brought.take(`${ID.slice(0, -1)}2`, 'b.wav', bytes(1));
    expect(() => brought.folderOf(ID)).toThrow(/nothing was brought/);
  });

  it('that are too large, or too many, are refused, and nothing is left of them', async () => {
    const brought = new BroughtRecordings(freshFolder());
    await expect(brought.take(ID, 'long.txt', bytes(1_000_001))).rejects.toMatchObject({
      code: 'sound-too-large',
    });
    expect(readdirSync(brought.folderOf(ID))).toEqual([]);
    for (let i = 0; i < 1_000; i++) writeFileSync(join(brought.folderOf(ID), `${i}.txt`), '');
    await expect(brought.take(ID, 'more.txt', bytes(1))).rejects.toMatchObject({
      code: 'recordings-too-many',
    });
  });

  const disk = freshFolder();
  // Only root can make one; elsewhere there is nothing to be tried.
  const remove = smallDisk(disk, 1);
  afterAll(() => remove?.());

  (remove ? it : it.skip)(
    'to a disk that is full are refused in words, and nothing is left of them',
    async () => {
      const brought = new BroughtRecordings(disk);
      const refused = await brought.take(ID, 'long.wav', bytes(3_000_000)).then(() => null, problemFrom);
      expect(refused?.code).toBe('disk-full');
      expect(readdirSync(brought.folderOf(ID))).toEqual([]);
      await brought.take(ID, 'short.wav', bytes(1_000));
    },
  );
});
