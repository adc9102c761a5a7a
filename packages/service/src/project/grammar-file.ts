/** Grammars of a project: SRGS (XML) or JSGF. */
import { join } from 'node:path';
import { Fault, readJsgf, readSrgs, type Grammar } from '@verbalon/core';
import { readText } from './read-yaml.js';

/** @throws Fault with the path of what names it, ProblemError where it cannot be read */
export function readGrammar(folder: string, file: string, path: string): Grammar {
  const text = readText(join(folder, file), 'errand-broken');
  try {
    return file.endsWith('.jsgf') ? readJsgf(text) : readSrgs(text);
  } catch (error) {
    throw error instanceof Fault ? new Fault('grammar-broken', `${file}: ${error.detail}`, path) : error;
  }
}
