/**
 * Opens an engine of the project: its card with the settings that a lineup gives, inside its guard, with the
 * server behind it.
 */
import type { Logger } from 'pino';
import {
  freePort,
  LocalServer,
  openEngine,
  type AnyEngine,
  type Guard,
  type Surroundings,
} from '@verbalon/engines';
import type { EngineCard } from '@verbalon/protocol';
import { isWired, nameOf, type Choice } from '../project/cards.js';
import type { Project } from '../project/project.js';

export type Guarded<E extends AnyEngine = AnyEngine> = E & { guard: Guard };

export interface Opened {
  engine: Guarded;
  card: EngineCard | null;
  /** That a lineup gives. */
  settings: Choice['settings'];
  server: LocalServer | null;
  /** Talks that hold it. */
  holders: number;
}

/** Ends an engine, and the server behind it. */
export async function closeOpened({ engine, server }: Opened): Promise<void> {
  await Promise.all([engine.close(), server?.stop()]);
}

export class EngineOpener {
  constructor(
    private readonly project: Project,
    private readonly around: Surroundings,
    private readonly log: Logger,
  ) {}

  async open(choice: Choice): Promise<Opened> {
    const { project, around } = this;
    const name = nameOf(choice);
    const plain = project.engines.get(choice.engine)!;
    const port = isWired(plain) && plain.wire !== 'process' && plain.server ? await freePort() : null;
    const given = { ...choice.settings, ...(port === null ? {} : { port }) };
    const card = withSettings(plain, given);
    const engine = openEngine(name, card, around);
    const server = port === null ? null : this.serverFor(name, card, port, engine);
    return { engine, card, settings: choice.settings, server, holders: 0 };
  }

  private serverFor(name: string, card: EngineCard, port: number, engine: Guarded): LocalServer | null {
    if (card.wire !== 'http' && card.wire !== 'socket') return null;
    const { folder, secrets } = this.around;
    const fill = (text: string) => text.replaceAll('{port}', String(port));
    const health = new URL(card.health ?? '/health', fill(card.address).replace(/^ws/, 'http'));
    const { start, readyMs } = card.server!;
    const key = card.secret === undefined ? undefined : secrets[card.secret];
    return new LocalServer({
      name,
      start: start.map(fill),
      folder,
      health,
      readyMs,
      env: key === undefined ? {} : { [card.secret!]: key },
      is: (state) => {
        (engine as unknown as { serverIs(state: unknown): void }).serverIs(state);
        this.log.info({ engine: name, ...state }, 'a local server has changed');
      },
    });
  }
}

function withSettings(card: EngineCard, settings: Choice['settings']): EngineCard {
  return isWired(card) ? { ...card, settings: { ...card.settings, ...settings } } : card;
}
