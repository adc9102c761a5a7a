/** The HTTP side's view of a service, from its parts. */
import { fileURLToPath } from 'node:url';
import type { Store } from '../database/store.js';
import { lineupStates } from '../engines/summaries.js';
import type { Project } from '../project/project.js';
import type { Readiness } from './readiness.js';
import { BroughtRecordings } from '../sound/brought.js';
import type { Host } from '../talk/line/connection.js';
import type { HttpHost } from './host.js';

/** What only HTTP needs. */
interface HttpParts extends Pick<
  HttpHost,
  'messages' | 'dataFolder' | 'telephone' | 'background' | 'audit' | 'secrets' | 'edit'
> {
  store: Store;
  ready: Readiness;
}

/** Everything of a service that is asked over HTTP. */
export function httpHost(
  { project, engines, talks, watchLinks, personDesk, door, log }: Host,
  { store, ready, ...own }: HttpParts,
): HttpHost {
  return {
    ...own,
    log,
    door,
    reader: store.reader,
    tryouts: store.tryouts,
    runs: store.runs,
    project,
    engines,
    talks,
    watchLinks,
    personDesk,
    brought: new BroughtRecordings(own.dataFolder),
    consoleFolder: fileURLToPath(new URL('../../../console/dist', import.meta.url)),
    embedFolder: fileURLToPath(new URL('../../../embed/dist', import.meta.url)),
    access: store.access,
    readiness: () => readinessOf(project, ready, store),
    assistants: () =>
      project.list().map((assistant) => ({
        name: assistant.name,
        title: assistant.file.title,
        greeting: assistant.plan.greeting,
        hint: assistant.file.hint ?? '',
        language: assistant.plan.language,
        floor: assistant.plan.manners.floor,
        recorded: assistant.file.recorded ?? false,
        isDefault: assistant.name === project.defaultAssistant,
        lineup: lineupStates(engines, assistant),
        ...(assistant.file.stay === undefined ? {} : { stay: assistant.file.stay }),
      })),
  };
}

function readinessOf(project: Project, ready: Readiness, store: Store) {
  const storing = store.trouble();
  const everywhere = storing === null ? [] : [storing];
  const answer = (missing: string[]) => ({ ready: missing.length === 0, waitingFor: missing });
  const assistants = project.list().map((assistant) => ({
    name: assistant.name,
    ...answer([...everywhere, ...ready.missing(assistant)]),
  }));
  const usual = assistants.find(({ name }) => name === project.defaultAssistant);
  const missing = usual?.waitingFor ?? [
    ...everywhere,
    `the assistant ${project.defaultAssistant} cannot be used`,
  ];
  return { ...answer(missing), assistants };
}
