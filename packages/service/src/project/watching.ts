/** Notices what changes in a project folder, and says what kind of file it is. */
import { readdirSync, statSync, type Dirent } from 'node:fs';
import { basename, dirname, join, relative, sep } from 'node:path';
import { watch, type FSWatcher } from 'chokidar';
import { CONTACTS_FILE } from './contacts.js';

/** Kinds of files that are many, each in a folder of its kind: `assistants/NAME.yaml`. */
export const FILE_KINDS = ['assistants', 'engines', 'answers', 'errands'] as const;
export type FileKind = (typeof FILE_KINDS)[number];

export const isFileKind = (kind: string): kind is FileKind =>
  (FILE_KINDS as readonly string[]).includes(kind);

export type Changed =
  | { what: FileKind; name: string }
  | { what: 'project' }
  | { what: 'secrets' }
  /** What slots of errands take from elsewhere: contacts, vCards, grammars. */
  | { what: 'slots' }
  /** By its path within the folder. */
  | { what: 'lexicon' | 'module'; path: string };

/** Deeper folders are not looked into. */
const DEPTH = 3;

function kindOf(path: string): Changed | null {
  const folder = dirname(path);
  if (path === 'project.yaml') return { what: 'project' };
  if (path === '.env') return { what: 'secrets' };
  if (path === CONTACTS_FILE || /\.(?:vcf|grxml|xml|jsgf)$/.test(path)) return { what: 'slots' };
  if (path.endsWith('.yaml') && isFileKind(folder)) return { what: folder, name: basename(path, '.yaml') };
  if (path.endsWith('.pls') && folder === 'assistants') return { what: 'lexicon', path };
  return /\.m?js$/.test(path) ? { what: 'module', path } : null;
}

const isIgnored = (name: string): boolean => /^(?:\.(?!env$).*|node_modules|recordings|dist)$/.test(name);

/**
 * @param sinceMs what was written after this time (of the system's clock) counts as changed, though it stood
 * there when the watching began
 */
export function watchFolder(folder: string, sinceMs: number, changed: (what: Changed) => void): FSWatcher {
  const watcher = watch(folder, {
    alwaysStat: true,
    depth: DEPTH,
    // Folders of others, and recordings: nothing in them is read again.
    ignored: (path) => isIgnored(basename(path)) && path !== folder,
    awaitWriteFinish: { stabilityThreshold: 100, pollInterval: 20 },
  });
  const told = new Set<string>();
  const tell = (path: string) => {
    told.add(path);
    const what = kindOf(relative(folder, path).replaceAll(sep, '/'));
    if (what) changed(what);
  };
  let isBegun = false;
  watcher.on('ready', () => {
    isBegun = true;
    // Between reading a folder and watching it, a change is noticed by nobody: what was written meanwhile is
    // looked for once.
    for (const path of filesIn(folder)) {
      if (told.has(path) || writtenMs(path) <= sinceMs) continue;
      if (isWatched(watcher, path)) tell(path);
      else watcher.add(path);
    }
  });
  watcher.on('add', (path, stats) => {
    if (isBegun || (stats && stats.mtimeMs > sinceMs)) tell(path);
  });
  watcher.on('change', tell).on('unlink', tell);
  // A folder that goes away, or too many files to watch: what was read stays in use.
  watcher.on('error', () => undefined);
  return watcher;
}

function filesIn(folder: string, depth = DEPTH): string[] {
  if (depth < 0) return [];
  return entriesOf(folder).flatMap((one) => {
    const path = join(folder, one.name);
    if (isIgnored(one.name)) return [];
    return one.isDirectory() ? filesIn(path, depth - 1) : [path];
  });
}

/** None where it cannot be read: what was read of it before stays in use. */
function entriesOf(folder: string): Dirent[] {
  try {
    return readdirSync(folder, { withFileTypes: true });
  } catch {
    return [];
  }
}

/** When a file was last written, by the system's clock; 0 where it is gone. */
const writtenMs = (path: string): number => statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? 0;

function isWatched(watcher: FSWatcher, path: string): boolean {
  return watcher.getWatched()[dirname(path)]?.includes(basename(path)) ?? false;
}
