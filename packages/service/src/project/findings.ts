/** What is to be said of a project's files: what is wrong, what is missing, what nobody uses. */
import { basename } from 'node:path';
import { shadowedPatterns, wrongExample } from '@verbalon/core';
import type { Finding } from '@verbalon/protocol';
import type { Project } from './project.js';

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
    const told = all ?? [{ line: line ?? null, detail: detail.replace(/^\S+\.yaml(?::\d+)?: /, '') }];
    return told.map((one): Finding => ({ file, ...one, grade: 'error', stops }));
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

/** Contacts that no message can reach, and ways that nobody knows. */
function unreached({ file: { messages = {} }, errands }: Project): Finding[] {
  const file = 'contacts.yaml';
  return errands.contacts.people.flatMap(({ key, name, ways }): Finding[] => {
    const known = Object.keys(ways).filter((way) => Object.hasOwn(messages, way));
    if (known.length > 0) return [];
    const there = Object.keys(messages).join(', ') || 'none';
    const named = Object.keys(ways).join(', ') || 'none';
    return [{ file, line: null, grade: 'note', stops: [], detail: `no message reaches "${name}" (${key}): its ways are ${named}, and "messages" in project.yaml names ${there}` }]; // prettier-ignore
  });
}
