/** What is to be said of a project's files: what is wrong, what is missing, what nobody uses. */
import { basename, join } from 'node:path';
import { shadowedPatterns, sharedBeginnings, wrongExample } from '@verbalon/core';
import type { Finding } from '@verbalon/protocol';
import { insideOf } from './inside.js';
import type { Project } from './project.js';
import { secretsIn } from './names-secrets.js';
import { lineIn, readText } from './read-yaml.js';
import type { FileKind } from './watching.js';

/** @param secrets the values of variables, by their names */
export function findingsOf(
  project: Project,
  secrets: Readonly<Record<string, string | undefined>>,
): Finding[] {
  return [
    ...broken(project),
    ...defaultMissing(project),
    ...keysMissing(project, secrets),
    ...unused(project),
    ...shadowed(project),
    ...wrongExamples(project),
    ...modulesMissing(project),
    ...secretsUnlisted(project),
    ...ambiguous(project),
    ...numbersUnknown(project),
    ...unreached(project),
  ];
}

const note = (file: string, detail: string): Finding => ({
  file,
  line: null,
  grade: 'note',
  detail,
  stops: [],
});

function broken(project: Project): Finding[] {
  return [...project.problems()].flatMap(([key, { detail, line, all }]) => {
    const [kind, name] = key.split('/') as [string, string | undefined];
    const file = name === undefined ? `${kind}.yaml` : `${key}.yaml`;
    const isAway = kind === 'assistants' && !project.list().some((one) => one.name === name);
    const stops = kind === 'engines' ? project.assistantsWith(name!, false) : isAway ? [name!] : [];
    // What is wrong with a lexicon is told of the lexicon, though the assistant cannot be used because of it.
    const [place, named] = /^(\S+\.(?:yaml|pls))(?::\d+)?: /.exec(detail) ?? ['', ''];
    const its = named!.endsWith('.pls') ? named! : file;
    const told = all ?? [{ line: line ?? null, detail: detail.slice(place.length) }];
    return told.map((one): Finding => ({ file: its, ...one, grade: 'error', stops }));
  });
}

function defaultMissing(project: Project): Finding[] {
  const name = project.defaultAssistant;
  if (project.list().some((one) => one.name === name) || project.problems().has(`assistants/${name}`))
    return [];
  const detail = `"assistant: ${name}" names no assistant; there are ${project.namesOf('assistants').join(', ') || 'none'}`;
  return [{ file: 'project.yaml', line: null, grade: 'error', detail, stops: [name] }];
}

/** Keys that stand-ins bring along are made up when none is given. */
function keysMissing(project: Project, secrets: Readonly<Record<string, string | undefined>>): Finding[] {
  const made = new Set((project.file.standins ?? []).map(({ key }) => key));
  return [...project.engines].flatMap(([name, card]): Finding[] => {
    const secret = 'secret' in card ? card.secret : undefined;
    if (secret === undefined || secrets[secret] || made.has(secret)) return [];
    const detail = `the variable ${secret} is not set: put ${secret}=… into .env of the project, or into the environment`;
    return [
      {
        file: `engines/${name}.yaml`,
        line: null,
        grade: 'error',
        detail,
        stops: project.assistantsWith(name, true),
      },
    ];
  });
}

function unused(project: Project): Finding[] {
  return (['engines', 'answers', 'errands'] as const).flatMap((kind) =>
    project
      .namesOf(kind)
      .filter(
        (name) => !project.problems().has(`${kind}/${name}`) && project.usersOf(kind, name).length === 0,
      )
      .map((name) =>
        note(`${kind}/${name}.yaml`, kind === 'answers' ? 'no engine names it' : 'no assistant names it'),
      ),
  );
}

function shadowed(project: Project): Finding[] {
  return project.namesOf('answers').flatMap((name) => {
    const book = project.bookOf(name);
    if (!book) return [];
    return shadowedPatterns(book).map(({ pattern, by }) =>
      note(`answers/${basename(name)}.yaml`, `"${pattern}" can never answer: "${by}" always fits first`),
    );
  });
}

/** Examples of errands that do not give what they should. */
function wrongExamples(project: Project): Finding[] {
  return [...project.errands.files].flatMap(([name, file]) => {
    const errand = project.errands.get(name)!;
    const wrong = (file.examples ?? []).flatMap((example) => wrongExample(errand, example, 'en') ?? []);
    return wrong.map((detail): Finding => ({
      file: `errands/${name}.yaml`,
      line: null,
      grade: 'error',
      detail,
      stops: [],
    }));
  });
}

/** A finding at its line. @param pointer a JSON Pointer into the file */
function at(
  project: Project,
  kind: FileKind | null,
  name: string,
  pointer: string,
  one: Pick<Finding, 'grade' | 'detail'>,
): Finding {
  const file = kind === null ? `${name}.yaml` : `${kind}/${name}.yaml`;
  const text = readText(join(project.folder, file), 'file-unknown');
  return { file, line: lineIn(text, pointer), stops: [], ...one };
}

/** Secrets that files name, and that project.yaml does not list. */
function secretsUnlisted(project: Project): Finding[] {
  const { secrets: listed, standins = [] } = project.file;
  if (listed === undefined) return [];
  const known = new Set([...listed, ...standins.map(({ key }) => key)]);
  const files = [
    ...[...project.engines].map(([name, card]) => ({ kind: 'engines' as const, name, file: card })),
    ...[...project.errands.files].map(([name, errand]) => ({ kind: 'errands' as const, name, file: errand })),
  ];
  return files.flatMap(({ kind, name, file }) =>
    secretsIn(kind, file)
      .filter(({ secret }) => !known.has(secret))
      .map(({ secret }): Finding => ({
        file: `${kind}/${name}.yaml`,
        line: null,
        grade: 'error',
        stops: [],
        detail: `it names the secret ${secret}, which "secrets:" of project.yaml does not list: add it there`,
      })),
  );
}

/** Code that errands name, and that is not there. */
function modulesMissing(project: Project): Finding[] {
  return [...project.errands.files].flatMap(([name, { does }]): Finding[] => {
    if (!('module' in does) || insideOf(project.folder, does.module) !== null) return [];
    const detail = `"${does.module}" is no file of the project: write it, or name the one that is meant`;
    return [at(project, 'errands', name, '/does/module', { grade: 'error', detail })];
  });
}

/** Sentences that begin two errands of one assistant alike: the first of them always has them. */
function ambiguous(project: Project): Finding[] {
  const found = new Map<string, Finding>();
  for (const { file } of project.list()) {
    const named = (file.errands ?? []).flatMap((name) => project.errands.get(name) ?? []);
    for (const { first, second, pattern, said } of sharedBeginnings(named, file.language)) {
      const detail = `"${said}" begins the errand "${first}" as well, and that one always has it: give one of them a word that the other lacks`;
      const pointer = `/begins/${pattern}`;
      found.set(`${second} ${pointer}`, at(project, 'errands', second, pointer, { grade: 'error', detail }));
    }
  }
  return [...found.values()];
}

/** Numbers of the telephone that no assistant answers. */
function numbersUnknown(project: Project): Finding[] {
  const names = project.namesOf('assistants');
  return Object.entries(project.file.phone?.numbers ?? {}).flatMap(([number, name]): Finding[] => {
    if (names.includes(name)) return [];
    const detail = `"phone: numbers: ${number}" names the assistant "${name}", which is not there; there are ${names.join(', ') || 'none'}`;
    return [at(project, null, 'project', `/phone/numbers/${number}`, { grade: 'error', detail })];
  });
}

/** Contacts that no message can reach, and ways that nobody knows. */
function unreached({ file: { messages = {} }, errands }: Project): Finding[] {
  const file = 'contacts.yaml';
  return errands.contacts.people.flatMap(({ key, name, ways }): Finding[] => {
    const known = Object.keys(ways).filter((way) => Object.hasOwn(messages, way));
    if (known.length > 0) return [];
    const there = Object.keys(messages).join(', ') || 'none';
    const named = Object.keys(ways).join(', ') || 'none';
    return [
      {
        file,
        line: null,
        grade: 'note',
        stops: [],
        detail: `no message reaches "${name}" (${key}): its ways are ${named}, and "messages" in project.yaml names ${there}`,
      },
    ];
  });
}
