/** From an engine's file to the engine. A new wire is added here. */
import type { EngineFile } from '@verbalon/protocol';
import type { AnyEngine } from './contract.js';
import { FliteEngine } from './flite/engine.js';
import { LinesEngine } from './lines/engine.js';
import { PocketSphinxEngine } from './pocketsphinx/engine.js';

export interface Surroundings {
  /** A folder that the engine may write to. */
  workFolder: string;
  /** Addresses of the stand-ins that the project started, by name. */
  standins: Readonly<Record<string, string>>;
}

export function openEngine(
  name: string,
  file: EngineFile,
  { workFolder, standins }: Surroundings,
): AnyEngine {
  const { title, languages } = file;
  switch (file.wire) {
    case 'pocketsphinx':
      return new PocketSphinxEngine({ name, title, languages, hosts: file.hosts ?? 2, workFolder });
    case 'flite':
      return new FliteEngine({ name, title, languages, voices: file.voices, hosts: file.hosts ?? 1 });
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
