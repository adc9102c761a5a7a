/** What is done with a project's files without a service. */
import type { Finding } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import { findingsOf } from './findings.js';
import { Project } from './project.js';
import { Secrets } from './secrets.js';
import { SHAPES } from './shapes.js';

export { Project };
export { NEW_EARS, NEW_MINDS, NEW_VOICES, nameFrom, newProject, type NewProject } from './new-project.js';

const OWN: Record<string, string> = {
  local: 'on this machine, without a network',
  answers: 'answers that you write',
};

/** What an engine that a project may begin with is, in a few words. */
export function shapeTitle(name: string): string {
  return OWN[name] ?? SHAPES.find((shape) => shape.kind === 'engines' && shape.name === name)?.title ?? name;
}

/** @throws ProblemError `project-missing` */
export function findingsIn(
  folder: string,
  environment: Readonly<Record<string, string | undefined>>,
): Finding[] {
  try {
    const project = new Project(folder);
    return findingsOf(project, new Secrets(folder, () => project.file.secrets, {}, environment).values);
  } catch (error) {
    if (!(error instanceof ProblemError) || error.code !== 'project-broken') throw error;
    const all = error.all ?? [
      { line: error.line ?? null, detail: error.detail.replace(/^\S+\.yaml(?::\d+)?: /, '') },
    ];
    return all.map((one) => ({ file: 'project.yaml', ...one, grade: 'error', stops: [] }));
  }
}
