/** From an engine's file to the engine. A new wire is added here. */
import type { EngineFile } from '@verbalon/protocol';
import type { AnswerBook } from '@verbalon/core';
import { AnswersEngine } from './answers/engine.js';
import type { AnyEngine, LlmEngine } from './contract.js';
import { EchoEngine } from './echo/engine.js';
import { FliteEngine } from './flite/engine.js';
import { LinesEngine } from './lines/engine.js';
import { PocketSphinxEngine } from './pocketsphinx/engine.js';

export interface Surroundings {
  /** A folder that the engine may write to. */
  workFolder: string;
  /** Addresses of the stand-ins that the project started, by name. */
  standins: Readonly<Record<string, string>>;
  /** The answers file of a name, as it is now. */
  answers(name: string): AnswerBook;
  /** Another model of the project, to pass a question on to. */
  model(name: string): LlmEngine;
}

export function openEngine(
  name: string,
  file: EngineFile,
  { workFolder, standins, answers, model }: Surroundings,
): AnyEngine {
  const { title, languages } = file;
  switch (file.wire) {
    case 'pocketsphinx':
      return new PocketSphinxEngine({ name, title, languages, hosts: file.hosts ?? 2, workFolder });
    case 'flite':
      return new FliteEngine({ name, title, languages, voices: file.voices, hosts: file.hosts ?? 1 });
    case 'echo':
      return new EchoEngine(name, title, languages);
    case 'answers': {
      const { answers: book, passTo, seed } = file;
      const other = passTo === undefined ? null : () => model(passTo);
      return new AnswersEngine({
        name,
        title,
        languages,
        seed: seed ?? 1,
        book: () => answers(book),
        passTo: other,
      });
    }
    case 'lines': {
      const address = file.address.startsWith('standin:')
        ? (standins[file.address.slice('standin:'.length)] ?? 'http://127.0.0.1:9')
        : file.address;
      return new LinesEngine({
        name,
        title,
        languages,
        where: file.where,
        address,
        patienceMs: file.patienceMs ?? 8_000,
      });
    }
  }
}
