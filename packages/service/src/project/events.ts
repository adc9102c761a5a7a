/** What a project tells of its files while they change. */
import type { Plan } from '@verbalon/core';
import type { HearingProfile } from '@verbalon/engines';
import type { AssistantFile } from '@verbalon/protocol';
import type { ProblemError } from '../problems/problems.js';

export interface Assistant {
  name: string;
  file: AssistantFile;
  plan: Plan;
  profile: HearingProfile | null;
  /** Its plan in other languages, by their primary tags. */
  plansIn: ReadonlyMap<string, Plan>;
}

export interface ProjectEvents {
  /** What is to be there before an assistant of this file is used: it throws where it cannot be had. */
  admit: (assistant: Assistant) => Promise<void>;
  changed: (assistant: Assistant) => void;
  /** Its card was read again, or is gone. */
  engine: (name: string) => Promise<void>;
  /** The last good one, if there was one, stays in use. */
  broken: (error: ProblemError) => void;
  /** What has changed and takes effect only when the service is started again. */
  restart: (what: string) => void;
  secrets: () => Promise<void>;
  module: (path: string) => void;
}
