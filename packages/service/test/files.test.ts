/** Files of a project and of the data folder, whatever is in them: only the one that is wrong suffers. */
import { describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Project, type ProjectEvents } from '../src/project/project.js';
import { insideOf, readRegular } from '../src/project/inside.js';
import { listRecordings, recordedSayings } from '../src/sound/recordings.js';
import { takeDataFolder } from '../src/data-folder.js';
import { ASSISTANT, cloudsProject } from '../../../testing/clouds-project.js';
import { freshFolder } from '../../../testing/service.js';

const LINEUP = 'lineup: { stt: ears, llm: thinker, tts: voice }\n';

function events(heard: string[], admit: ProjectEvents['admit'] = () => Promise.resolve()): ProjectEvents {
  return {
    admit,
    changed: ({ name }) => void heard.push(`changed ${name}`),
    broken: ({ detail }) => void heard.push(`broken ${detail}`),
  };
}

describe('a file that is wrong', () => {
  const wrong: [string, string, RegExp][] = [
    ['an alias', 'greeting: *waves*\n', /odd\.yaml:\d+: "\*waves\*" stands for nothing here/],
    ['aliases that grow', 'greeting: a\nnames: [&a [b,b], &c [*a,*a,*a,*a,*a,*a,*a,*a,*a,*a], &d [*c,*c,*c,*c,*c,*c,*c,*c,*c,*c], [*d,*d,*d]]\n', /odd\.yaml:\d+: its aliases/], // prettier-ignore
    ['a slot that every object has', "expect: { phrases: ['to {constructor}'] }\n", /odd\.yaml:\d+: .*\{constructor\} is not given/], // prettier-ignore
    [
      'a stage at no address',
      "stages: { heard: { at: 'http://' } }\n",
      /odd\.yaml:\d+: "http:\/\/" is no address/,
    ],
    ['a stage that is not there', 'stages: { heard: { at: stages/nothing.mjs } }\n', /is no file of the project folder/], // prettier-ignore
    [
      'a stage outside the project',
      'stages: { heard: { at: ../../x.mjs } }\n',
      /is no file of the project folder/,
    ],
    ['a lexicon outside the project', 'lexicon: ../../x.pls\n', /lexicon/],
    ['too many forms', "expect: { phrases: ['{a} {a} {a} {a} {a} {a} {a} {a} {a} {a}'], slots: { a: [a, b, c, d, e, f, g, h, i, j] } }\n", /this phrase has more than/], // prettier-ignore
  ];

  it.each(wrong)(
    'with %s is refused with its line, at the start and while it runs',
    async (_what, text, words) => {
      const folder = cloudsProject();
      const file = join(folder, 'assistants/odd.yaml');
      writeFileSync(file, ASSISTANT + LINEUP + text);
      const project = new Project(folder);
      expect(project.problems()[0]).toMatchObject({ detail: expect.stringMatching(words) });
      expect(project.list().map(({ name }) => name)).toContain('clouds');
      // A good one, then the wrong one: the good one stays.
      writeFileSync(file, `${ASSISTANT}greeting: Hello.\n${LINEUP}`);
      const heard: string[] = [];
      project.watch(events(heard));
      await project.readAgain('odd');
      writeFileSync(file, ASSISTANT + LINEUP + text);
      await project.readAgain('odd');
      expect(project.assistant('odd').plan.greeting).toBe('Hello.');
      expect(heard).toEqual(['changed odd', expect.stringMatching(words)]);
      await project.close();
    },
  );

  it('of answers, with an unknown alias, hurts nothing else', () => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'answers/porch.yaml'), 'title: T\nanswers: [{ when: [*x], say: [a] }]\notherwise: pass\n'); // prettier-ignore
    const project = new Project(folder);
    expect(project.problems().map(({ detail }) => detail)).toEqual([
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
    const locked = project.problems().find(({ detail }) => detail.includes('locked.yaml'));
    expect(locked!.detail).toMatch(/the card of "birch-mind" cannot be used: .*birch-mind\.yaml/);
  });

  it('with 10,000 unknown keys tells the first 20', () => {
    const project = new Project(cloudsProject());
    const keys = Array.from({ length: 10_000 }, (_, i) => `key${i}: 1\n`).join('');
    const { detail } = project.problemIn('odd', ASSISTANT + LINEUP + keys)!;
    expect(detail.match(/is not known here/g)).toHaveLength(20);
    expect(detail).toMatch(/and 9,?\d+ more/);
  });

  it('that cannot be had of its engines is not taken; the last good one stays', async () => {
    const folder = cloudsProject();
    const project = new Project(folder);
    const heard: string[] = [];
    const good = project.assistant('clouds');
    project.watch(events(heard, () => Promise.reject(new Error('no port is left'))));
    await project.readAgain('clouds');
    expect(project.assistant('clouds')).toBe(good);
    expect(heard).toEqual([expect.stringContaining('no port is left')]);
    await project.close();
  });
});

describe('over HTTP', () => {
  it('a file may not come to name code that is run', () => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'stages/other.mjs'), '');
    const project = new Project(folder);
    const staged = readFileSync(project.fileOf('staged'), 'utf8');
    expect(project.newlyRuns('staged', staged)).toBeNull();
    expect(project.newlyRuns('staged', staged.replace('own.mjs', 'other.mjs'))).toBe(
      'the module stages/other.mjs',
    );
    const fresh = `${ASSISTANT}lineup: { stt: ears, llm: thinker, tts: { engine: espeak, settings: { voice: '-w/etc/x' } } }\n`;
    expect(project.newlyRuns('clouds', fresh)).toContain('the program of the engine espeak');
    expect(project.newlyRuns('clouds', ASSISTANT + LINEUP)).toBeNull();
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
    expect(recordedSayings(folder, 'more')).toEqual([]);
    writeFileSync(join(folder, 'more/b.txt'), 'hello');
    writeFileSync(join(folder, 'more/b.wav'), 'no sound');
    expect(() => recordedSayings(folder, 'more', ['b'])).toThrow();
    expect(() => recordedSayings(folder, outside)).toThrow(/is no folder of the project/);
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
