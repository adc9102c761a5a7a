/**
 * A new project that talks at once: one assistant, its engines, a few answers, one recording to test with.
 */
import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'yaml';
import { HOUSE_RATE_HZ, joinPcm16, primaryOf, writeWav } from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import { ProblemError } from '../problems/problems.js';
import { filledIn, shapeOf, template } from './shapes.js';

/**
 * What ears, mind and voice a project may begin with: local ones, authored answers, or a card of a shape that
 * is to be filled in.
 */
export const NEW_EARS = ['local', 'ears-file', 'ears-stream'] as const;
export const NEW_MINDS = ['answers', 'mind', 'desk'] as const;
export const NEW_VOICES = ['local', 'espeak', 'voice-packed', 'voice-token'] as const;

export interface NewProject {
  title: string;
  /** BCP 47. */
  language: string;
  ears: (typeof NEW_EARS)[number];
  mind: (typeof NEW_MINDS)[number];
  voice: (typeof NEW_VOICES)[number];
  /** Both sides' sound and words of its talks are kept. */
  recorded: boolean;
}

/** What the recording says; one of the answers is for it. */
const QUESTION = 'When are you open on Friday?';

type Words = Record<'en' | 'de', { persona: string; greeting: string }>;

/** How a title is written as the name of a file. */
export function nameFrom(title: string): string {
  const plain = title
    .toLowerCase()
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '');
  return plain.slice(0, 40).replace(/-+$/, '') || 'assistant';
}

/**
 * Writes it. @returns the files, by their paths within the folder
 * @throws ProblemError `folder-not-empty`; `engine-unknown` where no engine that comes with it knows the
 * language
 */
export async function newProject(folder: string, wanted: NewProject): Promise<string[]> {
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new ProblemError('folder-not-empty', `${folder} has files already`);
  const primary = primaryOf(wanted.language);
  if (wanted.ears === 'local' && primary !== 'en')
    throw new ProblemError(
      'engine-unknown',
      `the local ears know English only; choose --ears ${NEW_EARS.slice(1).join(' or ')} for ${wanted.language}`,
    );
  if (wanted.voice === 'local' && primary !== 'en')
    throw new ProblemError(
      'engine-unknown',
      `the local voice knows English only; choose --voice ${NEW_VOICES.slice(1).join(', ')} for ${wanted.language}`,
    );
  const files = filesFor(wanted, primary);
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(join(folder, path, '..'), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
  if (primary !== 'en') return Object.keys(files);
  mkdirSync(join(folder, 'recordings'), { recursive: true });
  writeFileSync(join(folder, 'recordings/first-question.txt'), `${QUESTION}\n`);
  writeFileSync(join(folder, 'recordings/first-question.wav'), await recorded(QUESTION));
  return [...Object.keys(files), 'recordings/first-question.txt', 'recordings/first-question.wav'];
}

function filesFor(
  { title, language, ears, mind, voice, recorded }: NewProject,
  primary: string,
): Record<string, string> {
  const name = nameFrom(title);
  const known = primary === 'de' ? 'de' : 'en';
  const words = (parse(template('project/words.yaml')) as Words)[known];
  const isAnswering = mind === 'answers';
  const model = isAnswering ? 'answers' : 'mind';
  const quoted = (text: string) => JSON.stringify(filledIn(text, { TITLE: title }));
  const values = {
    TITLE: JSON.stringify(title),
    NAME: name,
    LANGUAGE: language,
    PRIMARY: primary,
    PERSONA: quoted(words.persona),
    GREETING: quoted(words.greeting),
    MIND: model,
    RECORDED: String(recorded),
  };
  const assistant = template('project/assistant.yaml', values);
  const cards = cardsFor({ ears, mind, voice }, name, primary);
  const secret = Object.values(cards).some((text) => /^secret:/m.test(text));
  return {
    'project.yaml': template('project/project.yaml', values),
    [`assistants/${name}.yaml`]: isAnswering
      ? assistant
      : assistant.replace(/^# What callers may say.*\nexpect: .*\n/m, ''),
    'engines/ears.yaml': cards.ears,
    [`engines/${model}.yaml`]: cards.mind,
    'engines/voice.yaml': cards.voice,
    ...(isAnswering ? { [`answers/${name}.yaml`]: template(`project/answers.${known}.yaml`, values) } : {}),
    '.gitignore': '.env\n.verbalon/\n.removed/\n',
    ...(secret ? { '.env.example': '# Copy it to .env, which is never committed.\nMY_KEY=\n' } : {}),
  };
}

function cardsFor(
  { ears, mind, voice }: Pick<NewProject, 'ears' | 'mind' | 'voice'>,
  own: string,
  primary: string,
) {
  const card = (shape: string) =>
    shapeOf('engines', shape)
      .text.replace(/^languages: .*$/m, `languages: [${primary}]`)
      .replace('answers: answers', `answers: ${own}`);
  const spoken = card(voice === 'local' ? 'voice' : voice);
  return {
    ears: card(ears === 'local' ? 'ears' : ears),
    mind: card(mind),
    voice: voice === 'espeak' ? spoken.replace('usual: de', `usual: ${primary}`) : spoken,
  };
}

/** A caller to test with. */
async function recorded(text: string): Promise<Uint8Array> {
  const caller = new FliteEngine({
    name: 'caller',
    title: 'A caller',
    languages: ['en'],
    voices: { caller: 'rms' },
    hosts: 1,
  });
  try {
    await caller.warm();
    const quiet = new Int16Array(HOUSE_RATE_HZ / 2);
    const parts: Int16Array[] = [quiet];
    const request = { text, language: 'en', voice: {}, stay: null, signal: AbortSignal.timeout(20_000) };
    for await (const { samples } of caller.speak(request)) parts.push(samples);
    return writeWav([joinPcm16([...parts, quiet])], HOUSE_RATE_HZ);
  } finally {
    await caller.close();
  }
}
