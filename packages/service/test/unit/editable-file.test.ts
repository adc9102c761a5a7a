/**
 * Files of a project as they may be changed over HTTP: project.yaml and lexicons among them, and what neither
 * may come to name.
 */
import { describe, expect, it } from '@jest/globals';
import { join } from 'node:path';
import { root } from '../../../../testing/service.js';
import { EditableFile, editableNames } from '../../src/project/editable-file.js';
import { Project } from '../../src/project/project.js';
import type { ProblemError } from '../../src/problems/problems.js';

const demo = () => new Project(join(root, 'demo'));
const project = demo();
const refusal = (work: () => void): string => {
  try {
    work();
    return 'nothing was refused';
  } catch (error) {
    return `${(error as ProblemError).code}: ${(error as ProblemError).detail}`;
  }
};

describe('project.yaml', () => {
  const file = new EditableFile(project, 'project', 'project');
  const written = file.read();
  const writing = (text: string) => refusal(() => file.checkWritable(text));

  it('can be changed, where it stays right', () => {
    expect(writing(written.replace(/^title: .*$/m, 'title: Another title'))).toBe('nothing was refused');
    expect(writing(written.replace(/^zone: .*$/m, 'zone: Europe/Vienn'))).toMatch(
      /^project-broken: project\.yaml:\d+: .*Europe\/Vienna/,
    );
    expect(writing('title: [')).toMatch(/^project-broken: project\.yaml:1: /);
  });

  it.each([
    ['a program of its own', 'standins:\n', 'standins:\n  - { name: mine, start: [mine.js] }\n'],
    ['other arguments of a program', 'knowledge/huts.yaml', '/etc/passwd'],
    ['another key for a program', 'key: ALDER_KEY', 'key: HOME'],
  ])('does not come to name %s', (_what, from, to) => {
    expect(written).toContain(from);
    expect(writing(written.replace(from, to))).toMatch(
      /^file-runs-code: project\.yaml did not name the stand-in/,
    );
  });

  it.each([
    [
      'a message’s secret to another host',
      'webhook: standin:messenger/messages',
      'webhook: https://mine.example/x',
    ],
    ['another secret with a message', 'secret: MESSENGER_KEY', 'secret: HOME'],
    [
      'a secret with the hand-over',
      'handOver: { to: console }',
      "handOver: { to: console, webhook: 'https://mine.example', secret: HOME }",
    ],
    [
      'a secret with a telephone’s registration',
      'phone:\n',
      "phone:\n  registrations: [{ at: 'sip:mine.example', user: me, secret: HOME }]\n",
    ],
  ])('does not come to send %s', (_what, from, to) => {
    expect(written).toContain(from);
    expect(writing(written.replace(from, to))).toMatch(
      /^file-sends-secret: project\.yaml did not name the secret/,
    );
  });

  it('lists no more secrets than it did; fewer it may', () => {
    const listing = (names: string) => `${written}secrets: [${names}]\n`;
    const listed = demo();
    listed.file = listed.parseProject(listing('ALDER_KEY, BIRCH_KEY'));
    const its = new EditableFile(listed, 'project', 'project');
    const of = (text: string) => refusal(() => its.checkWritable(text));
    expect(of(listing('ALDER_KEY'))).toBe('nothing was refused');
    expect(of(listing('ALDER_KEY, HOME'))).toBe(
      'file-sends-secret: project.yaml did not name HOME under "secrets" before',
    );
    expect(of(written)).toMatch(/^file-sends-secret: .*every variable/);
  });

  it('is neither renamed nor removed', () => {
    expect(refusal(() => file.checkMovable())).toMatch(/^file-fixed: /);
  });
});

describe('a lexicon', () => {
  const file = new EditableFile(project, 'lexicons', 'tansy');
  const written = file.read();

  it('is one of the files; one that an assistant names stays where it is', () => {
    expect(editableNames(project, 'lexicons')).toEqual(['tansy']);
    expect(refusal(() => file.checkMovable())).toMatch(
      /^file-used: assistants\/tansy\.pls is named by .*assistants\/tansy\.yaml/,
    );
  });

  it.each([
    [
      'a phoneme that is none',
      (text: string) => text.replace('T AE N Z IY', 'T AE N Z IYY'),
      /tansy\.pls:3: "Tansy" has the phoneme "IYY"/,
    ],
    [
      'a tag that does not close',
      (text: string) => text.replace('</grapheme>', ''),
      /tansy\.pls:3: it is not well-formed XML here$/,
    ],
    [
      'another alphabet',
      (text: string) => text.replace('x-arpabet', 'ipa'),
      /tansy\.pls:2: .*alphabet="x-arpabet"/,
    ],
    [
      'entities of its own',
      (text: string) => text.replace('<lexicon', '<!DOCTYPE lexicon [<!ENTITY a "b">]>\n<lexicon'),
      /tansy\.pls:2: a lexicon has no document type/,
    ],
    ['tags within each other, 20,000 deep', () => '<a>'.repeat(20_000) + '</a>'.repeat(20_000), /too deep/],
  ])('with %s is refused at its line', (_what, change, detail) => {
    expect(change(written)).not.toBe(written);
    expect(file.problemIn(change(written))?.code).toBe('lexicon-broken');
    expect(file.problemIn(change(written))?.detail).toMatch(detail);
  });

  it('is no way to another file', () => {
    expect(refusal(() => new EditableFile(project, 'lexicons', '../project').read())).toMatch(
      /^file-unknown: /,
    );
  });
});
