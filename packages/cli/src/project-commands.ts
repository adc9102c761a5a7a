/** `verbalon new` and `verbalon check`: a project's files, without a service. */
import { createInterface } from 'node:readline';
import type { Finding } from '@verbalon/protocol';
import { isFedLines } from './standard-input.js';
import { terminal } from './terminal.js';
import type { NewProject } from '@verbalon/service/project';

export interface NewOptions extends Partial<NewProject> {
  yes?: boolean;
}

const DEFAULTS: NewProject = {
  title: 'My assistant',
  language: 'en',
  ears: 'local',
  mind: 'answers',
  voice: 'local',
  recorded: false,
};

/** Somebody types, or what is typed comes from a pipe or a file; a service that runs this gives none. */
function hasAnswers(): boolean {
  return terminal.stdin.isTTY ? Boolean(terminal.stdout.isTTY) : isFedLines();
}

export async function newCommand(folder: string, { yes, ...given }: NewOptions): Promise<void> {
  const { NEW_EARS, NEW_MINDS, NEW_VOICES, newProject, nameFrom, shapeTitle } =
    await import('@verbalon/service/project');
  const lines = !yes && hasAnswers() ? createInterface({ input: terminal.stdin }) : null;
  const answers = lines?.[Symbol.asyncIterator]();
  const question = async (words: string): Promise<string> => {
    terminal.stdout.write(words);
    const { value, done } = await answers!.next();
    if (done) terminal.stdout.write('\n');
    return done ? '' : value.trim();
  };
  const ask = async (key: 'title' | 'language', words: string): Promise<string> => {
    if (given[key] !== undefined || !lines) return given[key] ?? DEFAULTS[key];
    return (await question(`${words} [${DEFAULTS[key]}]: `)) || DEFAULTS[key];
  };
  const choose = async <T extends string>(
    words: string,
    all: readonly T[],
    own: T | undefined,
  ): Promise<T> => {
    if (own !== undefined || !lines) return own ?? all[0]!;
    terminal.stdout.write(
      `${words}\n${all.map((one, i) => `  ${i + 1}  ${one.padEnd(13)} ${shapeTitle(one)}\n`).join('')}`,
    );
    const answer = (await question(`number or name [1]: `)) || '1';
    return all.find((one, i) => one === answer || String(i + 1) === answer) ?? choose(words, all, own);
  };
  try {
    const wanted: NewProject = {
      title: await ask('title', 'What is it called?'),
      language: await ask('language', 'In which language (BCP 47)?'),
      ears: await choose('Which ears?', NEW_EARS, given.ears),
      mind: await choose('What thinks?', NEW_MINDS, given.mind),
      voice: await choose('Which voice?', NEW_VOICES, given.voice),
      recorded:
        given.recorded ??
        (lines
          ? /^y/i.test(
              await question('Keep the sound and words of its talks? Callers are told. y or n [n]: '),
            )
          : DEFAULTS.recorded),
    };
    const files = await newProject(folder, wanted);
    const here = folder.replace(/(?<=.)\/+$/, '');
    const capitals =
      wanted.ears !== 'local' || wanted.mind !== 'answers' || !['local', 'espeak'].includes(wanted.voice);
    terminal.stdout.write(
      `${files.map((file) => `  ${here}/${file}\n`).join('')}
${capitals ? `Put your engines' addresses into ${here}/engines/, then:\n` : ''}  verbalon check ${here}
  verbalon serve --project ${here}
  verbalon talk ${nameFrom(wanted.title)}
${wanted.recorded ? '' : `Nothing of its talks is kept: “recorded” is false in ${here}/assistants/${nameFrom(wanted.title)}.yaml.\n`}`,
    );
  } finally {
    lines?.close();
  }
}

export async function checkProjectCommand(folder: string, { json }: { json?: boolean }): Promise<void> {
  const { findingsIn } = await import('@verbalon/service/project');
  const findings = findingsIn(folder, terminal.env);
  if (json) terminal.stdout.write(`${JSON.stringify(findings)}\n`);
  printFindings(findings, 'all files can be used', json);
}

/** An error among them makes the exit code 1. @param well said where there is none */
export function printFindings(findings: readonly Finding[], well: string, silent = false): void {
  const errors = findings.filter(({ grade }) => grade === 'error').length;
  if (!silent)
    terminal.stdout.write(
      findings.map(findingWords).join('') + summary(errors, findings.length - errors, well),
    );
  if (errors > 0) terminal.exitCode = 1;
}

function findingWords({ file, line, grade, detail, stops }: Finding): string {
  const where = line === null ? file : `${file}:${line}`;
  const away = stops.length === 0 ? '' : `\n    nobody can talk to ${stops.join(', ')}`;
  return `${grade === 'error' ? '✗' : '·'} ${where}: ${detail}${away}\n`;
}

function summary(errors: number, notes: number, well: string): string {
  if (errors + notes === 0) return `✓ ${well}\n`;
  const count = (n: number, what: string) => `${n} ${what}${n === 1 ? '' : 's'}`;
  return `${errors === 0 ? `✓ ${well}; ` : `${count(errors, 'error')}, `}${count(notes, 'note')}\n`;
}
