/** What the HTTP side needs of the service. */
import type { Static } from '@sinclair/typebox';
import type { AssistantSummary, ReadyAnswer } from '@verbalon/protocol';
import type { Logger } from 'pino';
import type { Audit } from '../access/audit.js';
import type { Door } from '../access/door.js';
import type { AccessStore } from '../database/access-store.js';
import type { Reader } from '../database/reader.js';
import type { MessageStore } from '../database/message-store.js';
import type { RunStore } from '../database/run-store.js';
import type { BackgroundThread } from '../background/thread.js';
import type { EngineRegistry } from '../engines/registry.js';
import type { PersonDesk } from '../talk/call/hand-overs.js';
import type { WatchLinks } from '../talk/call/watch-links.js';
import type { Telephone } from '../phone/telephone.js';
import type { Project } from '../project/project.js';
import type { BroughtRecordings } from '../sound/brought.js';
import type { TalkDirectory } from '../talk/call/talk-directory.js';
import type { TryoutStore } from '../database/tryout-store.js';

export interface HttpHost {
  readonly log: Logger;
  readonly reader: Reader;
  readonly tryouts: TryoutStore;
  readonly runs: RunStore;
  readonly messages: MessageStore;
  readonly project: Project;
  readonly telephone: Telephone;
  readonly watchLinks: WatchLinks;
  readonly personDesk: PersonDesk;
  readonly engines: EngineRegistry;
  readonly background: BackgroundThread;
  readonly talks: TalkDirectory;
  /** Values of variables, by their names: keys are among them. */
  readonly secrets: Readonly<Record<string, string | undefined>>;
  readonly dataFolder: string;
  readonly brought: BroughtRecordings;
  readonly consoleFolder: string;
  /** What other pages load: the button. */
  readonly embedFolder: string;
  readonly door: Door;
  readonly access: AccessStore;
  readonly audit: Audit;
  /** Files of the project may be written over HTTP. */
  readonly edit: boolean;
  /** Can callers be served now? */
  readiness(): Static<typeof ReadyAnswer>;
  assistants(): AssistantSummary[];
}
