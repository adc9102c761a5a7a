import { join } from 'node:path';

/**
 * Where a project's data is kept where nobody says otherwise: with the project, from whichever folder a
 * command is typed.
 */
export const dataFolderOf = (project: string): string => join(project, '.verbalon/data');
