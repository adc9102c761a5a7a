/** A new project that talks at once: one assistant, its engines, a few answers, one recording to test with. */
import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { HOUSE_RATE_HZ, joinPcm16, primaryOf, writeWav } from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import { ProblemError } from '../problems.js';
import { shapeOf } from './shapes.js';

/** What ears, mind and voice a project may begin with: local ones, authored answers, or a card of a shape that is to be filled in. */
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
}

/** What the recording says; one of the answers is for it. */
const QUESTION = 'When are you open on Friday?';

const WORDS = {
  en: {
    persona: (title: string) =>
      `You are the assistant of ${title}. You answer in one or two short sentences, as one speaks.`,
    greeting: (title: string) => `Hello, this is ${title}. How can I help you?`,
    answers: `slots:
  day: [Monday, Tuesday, Wednesday, Thursday, Friday, Saturday, Sunday]
answers:
  - when: ['[and] are you open [on <day>]', '[and] when are you open [on <day>]', 'what are your (hours|opening hours)']
    say: ['We are open from nine to five every {day|day}.']
  - when: ['who are you', 'what (are you|is this)', 'what can you do']
    say: ['I answer questions about our opening hours, and I take down the number of your card.']
  # An open slot: four digits, however they are said. It is kept for what follows.
  - when: ['my [card|number] is <card: digits 4>', 'my card number is <card: digits 4>']
    say: ['Thank you. I have noted card {card}.']
    then:
      - when: ['what [number|card] (did i say|have you noted)', 'say (it|that) again']
        say: ['Card {card}.']
  - when: ['(thanks|thank you) [very much]', 'that is all']
    say: ['You are welcome. Is there anything else?']
otherwise: ['I am sorry, that I do not know. Ask me about our opening hours.']
`,
  },
  de: {
    persona: (title: string) =>
      `Du bist der Assistent von ${title}. Du antwortest in ein oder zwei kurzen Sätzen, wie man spricht.`,
    greeting: (title: string) => `Guten Tag, hier ist ${title}. Was kann ich für Sie tun?`,
    answers: `slots:
  tag: [Montag, Dienstag, Mittwoch, Donnerstag, Freitag, Samstag, Sonntag]
answers:
  - when: ['[und] (haben|habt) (sie|ihr) [am <tag>] (offen|geöffnet)', '[und] wann (haben|habt) (sie|ihr) [am <tag>] (offen|geöffnet)']
    say: ['{tag|Jeden Tag} haben wir von neun bis siebzehn Uhr geöffnet.']
  - when: ['wer (bist du|sind sie)', 'was (kannst du|können sie)']
    say: ['Ich sage Ihnen, wann wir geöffnet haben, und merke mir die Nummer Ihrer Karte.']
  - when: ['meine [karte|nummer] ist <karte: digits 4>', 'meine kartennummer ist <karte: digits 4>']
    say: ['Danke. Ich habe mir die Karte {karte} gemerkt.']
otherwise: ['Das weiß ich leider nicht. Fragen Sie mich nach den Öffnungszeiten.']
`,
  },
};

/** How a title is written as the name of a file. */
export function nameFrom(title: string): string {
  const plain = title.toLowerCase().normalize('NFKD').replace(/\p{M}/gu, '').replace(/[^a-z0-9]+/g, '-').replace(/^[^a-z]+|-+$/g, ''); // prettier-ignore
  return plain.slice(0, 40).replace(/-+$/, '') || 'assistant';
}

/**
 * Writes it. @returns the files, by their paths within the folder
 * @throws ProblemError `folder-not-empty`; `engine-unknown` where no engine that comes with it knows the language
 */
export async function newProject(folder: string, wanted: NewProject): Promise<string[]> {
  if (existsSync(folder) && readdirSync(folder).length > 0)
    throw new ProblemError('folder-not-empty', `${folder} has files already`);
  const primary = primaryOf(wanted.language);
  if (wanted.ears === 'local' && primary !== 'en')
    throw new ProblemError('engine-unknown', `the local ears know English only; choose --ears ${NEW_EARS.slice(1).join(' or ')} for ${wanted.language}`); // prettier-ignore
  if (wanted.voice === 'local' && primary !== 'en')
    throw new ProblemError('engine-unknown', `the local voice knows English only; choose --voice ${NEW_VOICES.slice(1).join(', ')} for ${wanted.language}`); // prettier-ignore
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
  { title, language, ears, mind, voice }: NewProject,
  primary: string,
): Record<string, string> {
  const name = nameFrom(title);
  const words = WORDS[primary === 'de' ? 'de' : 'en'];
  const card = (shape: string, own: string) =>
    shapeOf('engines', shape)
      .yaml.replace(/^languages: .*$/m, `languages: [${primary}]`)
      .replace('answers: answers', `answers: ${own}`);
  const isAnswering = mind === 'answers';
  const cards: Record<string, string> = {
    ears: card(ears === 'local' ? 'ears' : ears, name),
    mind: card(mind, name),
    voice:
      voice === 'espeak'
        ? card(voice, name).replace('usual: de', `usual: ${primary}`)
        : card(voice === 'local' ? 'voice' : voice, name),
  };
  const secret = Object.values(cards).some((text) => /^secret:/m.test(text));
  const lineup = isAnswering ? 'answers' : 'mind';
  return {
    'project.yaml': `# A project of Verbalon: npx verbalon serve --project . serves it; npx verbalon check . looks it through.
title: ${JSON.stringify(title)}
assistant: ${name}
`,
    [`assistants/${name}.yaml`]: `# yaml-language-server: $schema=http://127.0.0.1:7464/v1/schemas/assistant.json
title: ${JSON.stringify(title)}
language: ${language}
persona: ${JSON.stringify(words.persona(title))}
greeting: ${JSON.stringify(words.greeting(title))}
# Which engines serve, in order: the first serves, others would be its relief.
lineup:
  stt: ears
  llm: ${lineup}
  tts: voice
${isAnswering ? '# What callers may say is taken from the answers: local hearing knows it beforehand.\nexpect: from answers\n' : ''}# manners:
#   leewayMs: 800        # how long to wait when the words do not show whether the turn is over
#   interrupt: voice     # or words, or key
`,
    'engines/ears.yaml': cards.ears!,
    [`engines/${lineup}.yaml`]: cards.mind!,
    'engines/voice.yaml': cards.voice!,
    ...(isAnswering
      ? {
          [`answers/${name}.yaml`]: `# yaml-language-server: $schema=http://127.0.0.1:7464/v1/schemas/answers.json
# Patterns: (a|b) one of them, [a] may be left out, <day> one of the values of a slot, ... anything.
# Open slots: <what: words>, <card: digits 4>, <n: count>, <when: date>. In a reply a slot is {day}, or {day|other words}.
title: ${JSON.stringify(title)}
language: ${primary}
${words.answers}`,
        }
      : {}),
    '.gitignore': '.env\n.verbalon/\n.removed/\n',
    ...(secret ? { '.env.example': '# Copy it to .env, which is never committed.\nMY_KEY=\n' } : {}),
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
