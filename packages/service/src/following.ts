/** What a running service does when files of the project change. */
import { join } from 'node:path';
import type { ProjectEvents } from './project/events.js';
import type { Secrets } from './project/secrets.js';
import type { Readiness } from './http/readiness.js';
import type { Host } from './talk/line/connection.js';

export function following(
  { engines, project, stageWorkers, log }: Host,
  ready: Readiness,
  secrets: Secrets,
): ProjectEvents {
  const again = (name: string) => engines.reopen(name, project);
  return {
    admit: (assistant) => engines.openFor(assistant),
    changed: (assistant) => {
      log.info({ assistant: assistant.name }, 'an assistant was read again');
      void ready.prepare(assistant);
    },
    engine: async (name) => {
      await again(name);
      const gone = !project.engines.has(name);
      const named = project.assistantsWith(name, true);
      if (!gone)
        log.info({ engine: name }, 'the card of an engine was read again: it serves from the next request');
      else if (named.length === 0) log.info({ engine: name }, 'an engine is not there any more');
      else
        log.error(
          { engine: name, assistants: named },
          'the card of an engine is gone, and assistants name it; the last good one stays in use',
        );
    },
    broken: (problem) =>
      log.error({ code: problem.code }, `${problem.message}; the last good one stays in use`),
    restart: (what) => log.warn({ what }, 'this takes effect when the service is started again'),
    secrets: async () => {
      const changed = new Set(secrets.readAgain());
      const users = [...project.engines].filter(
        ([, card]) => 'secret' in card && card.secret !== undefined && changed.has(card.secret),
      );
      for (const [name] of users) await again(name);
      log.info({ engines: users.map(([name]) => name) }, 'the keys of .env were read again');
    },
    module: (path) => {
      stageWorkers.prepare(join(project.folder, path));
      log.info({ module: path }, 'a module of a stage was read again');
    },
  };
}
