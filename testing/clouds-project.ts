/**
 * A project with the demo's engines and stand-in clouds, and assistants that live in them in different ways.
 */
import { cpSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { freshFolder, root } from './service.js';

/** What every assistant's file begins with. */
export const ASSISTANT = `title: T
language: en
persona: You are Tansy.
recorded: true
`;
const ASSISTANTS: Record<string, string> = {
  clouds: 'lineup: { stt: [alder-ears, ears], llm: [alder-mind, thinker], tts: [alder-voice, voice] }\n',
  echo: 'lineup: { stt: ears, llm: echo, tts: voice }\n',
  stays: 'stay: on-machine\nlineup: { stt: ears, llm: desk, tts: [voice, espeak] }\n',
  poor: 'lineup: { stt: ears, llm: alder-mind, tts: alder-voice }\nbudget: { currency: EUR, talk: 0.0005, warnAt: 0.5 }\nsayings: { tooDear: Enough. }\n',
  staged:
    'lineup: { stt: ears, llm: echo, tts: voice }\nstages: { asked: { at: stages/own.mjs, deadlineMs: 5000 }, spoken: { at: stages/slow.mjs, deadlineMs: 50 } }\n',
  german:
    'speaks: de\nlineup: { stt: ears, llm: alder-mind, tts: { engine: espeak, settings: { voice: german } } }\n',
  locked: 'lineup: { stt: ears, llm: [birch-mind, thinker], tts: voice }\n',
};

/** Its folder, newly made. */
export function cloudsProject(): string {
  const folder = join(freshFolder(), 'project');
  mkdirSync(join(folder, 'assistants'), { recursive: true });
  mkdirSync(join(folder, 'stages'));
  for (const name of ['knowledge', 'recordings', 'answers', 'engines'])
    cpSync(join(root, 'demo', name), join(folder, name), { recursive: true });
  for (const name of readdirSync(join(folder, 'engines'))) {
    const path = join(folder, 'engines', name);
    const card = readFileSync(path, 'utf8')
      .replaceAll('../standins', join(root, 'standins'))
      // No engine is to be late, nor helped out by the next one, only because the machine is busy.
      .replace(/firstMs: \d+/, 'firstMs: 20000')
      .replace('hedged: true\n', '');
    writeFileSync(path, card);
  }
  writeFileSync(
    join(folder, 'stages/own.mjs'),
    "export const asked = ({ messages }) => ({ messages: [...messages.slice(0, -1), { role: 'caller', text: 'It was rewritten.' }] });\n",
  );
  writeFileSync(
    join(folder, 'stages/slow.mjs'),
    'export const spoken = () => new Promise(() => undefined);\n',
  );
  for (const [name, text] of Object.entries(ASSISTANTS))
    writeFileSync(join(folder, 'assistants', `${name}.yaml`), ASSISTANT + text);
  writeFileSync(
    join(folder, 'project.yaml'),
    readFileSync(join(root, 'demo/project.yaml'), 'utf8')
      .replace('assistant: tansy', 'assistant: clouds')
      .replaceAll('../standins', join(root, 'standins')),
  );
  return folder;
}
