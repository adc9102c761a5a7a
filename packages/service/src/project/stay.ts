import type { Stay } from '@verbalon/core';
import type { Project } from './project.js';

/** Where the words of an assistant's callers may go. */
export const stayIn = (project: Project, assistant: string): Stay | null =>
  project.list().find(({ name }) => name === assistant)?.file.stay ?? null;
