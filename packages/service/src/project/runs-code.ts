/**
 * What a file may not begin to name that comes over HTTP: whoever can send one must not be able to run code.
 */
import { ENGINE_ROLES } from '@verbalon/core';
import type { AssistantFile, EngineCard, ErrandFile, ProjectFile } from '@verbalon/protocol';
import { choicesOf, isModule, nameOf } from './cards.js';
import type { Assistant } from './events.js';
import type { Project } from './project.js';
import type { FileKind } from './watching.js';

/** Modules that stand between the stages, and programs with settings that a lineup gives. */
function ranBy(file: AssistantFile | undefined, engines: ReadonlyMap<string, EngineCard>): string[] {
  if (!file) return [];
  const modules = Object.values(file.stages ?? {}).flatMap((stage) =>
    stage && isModule(stage.at) ? [`the module ${stage.at}`] : [],
  );
  const programs = ENGINE_ROLES.flatMap((role) => choicesOf(file.lineup, role))
    .filter(({ engine, settings }) => Object.keys(settings).length > 0 && runsProgram(engines.get(engine)))
    .map((choice) => `the program of the engine ${nameOf(choice)}`);
  return [...modules, ...programs];
}

/** Is this an engine whose settings may go into the command line of a program? */
function runsProgram(card: EngineCard | undefined): boolean {
  return card !== undefined && (card.wire === 'process' || ('server' in card && card.server !== undefined));
}

/**
 * What of code a file would run that it did not run before, in words; null when nothing.
 * @throws ProblemError where it cannot be used
 */
export function newlyRun(
  project: Project,
  kind: FileKind | 'project',
  name: string,
  yaml: string,
): string | null {
  if (kind === 'project') return newlyRunByProject(project.file, project.parseProject(yaml));
  const after = project.parse(kind, name, yaml);
  if (kind === 'engines') return newlyRunByCard(project.engines.get(name), after as EngineCard);
  if (kind === 'answers') return null;
  if (kind === 'errands') return newlyRunByErrand(project.errands.files.get(name), after as ErrandFile);
  const before = project.list().find((one) => one.name === name)?.file;
  return newlyRunByAssistant(before, (after as Assistant).file, project.engines);
}

/** Stand-ins are processes that the service starts. */
function newlyRunByProject(before: ProjectFile, after: ProjectFile): string | null {
  const known = new Set((before.standins ?? []).map((one) => JSON.stringify(one)));
  const fresh = (after.standins ?? []).find((one) => !known.has(JSON.stringify(one)));
  return fresh === undefined ? null : `the stand-in ${fresh.name} as it is here`;
}

function newlyRunByErrand(before: ErrandFile | undefined, { does }: ErrandFile): string | null {
  const runs =
    'program' in does
      ? `the program ${JSON.stringify(does.program)}`
      : 'module' in does
        ? `the module ${does.module}`
        : null;
  return runs === null || JSON.stringify(before?.does) === JSON.stringify(does) ? null : runs;
}

function newlyRunByAssistant(
  before: AssistantFile | undefined,
  after: AssistantFile,
  engines: ReadonlyMap<string, EngineCard>,
): string | null {
  const known = new Set(ranBy(before, engines));
  return ranBy(after, engines).find((one) => !known.has(one)) ?? null;
}

function newlyRunByCard(before: EngineCard | undefined, after: EngineCard): string | null {
  const runs = (card: EngineCard | undefined): string | null => {
    if (card?.wire === 'process') return `the program ${JSON.stringify(card.command)}`;
    if (card && 'server' in card && card.server) return `the program ${JSON.stringify(card.server.start)}`;
    return null;
  };
  const now = runs(after);
  // Values of its templates may stand in a command line too.
  const isSame =
    now === runs(before) && JSON.stringify(settingsOf(after)) === JSON.stringify(settingsOf(before));
  return now === null || isSame ? null : now;
}

const settingsOf = (card: EngineCard | undefined) => (card && 'settings' in card ? card.settings : undefined);
