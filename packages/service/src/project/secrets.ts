/**
 * Keys: those of the environment, and below them those that the project's `.env` gives. Their values are
 * never logged.
 */
import { join } from 'node:path';
import { parse } from 'dotenv';
import { readRegular } from './inside.js';

const MOST_BYTES = 100_000;

export class Secrets {
  /**
   * By the names of variables. It is the same object all the time: whoever holds it sees what has changed.
   */
  readonly values: Record<string, string | undefined> = {};
  private readonly file: string;

  /** @param made keys that were made up for stand-ins @param environment goes before the file */
  constructor(
    folder: string,
    /** The names that files may use, as project.yaml lists them now; undefined for any. */
    private readonly listed: () => readonly string[] | undefined,
    private readonly made: Readonly<Record<string, string>>,
    private readonly environment: Readonly<Record<string, string | undefined>>,
  ) {
    this.file = join(folder, '.env');
    this.readAgain();
  }

  /** @returns the names of variables that have another value now */
  readAgain(): string[] {
    const text = readRegular(this.file, MOST_BYTES)?.toString('utf8') ?? '';
    const all: Record<string, string | undefined> = { ...this.made, ...parse(text), ...this.environment };
    const listed = this.listed();
    const isListed = (name: string) =>
      listed === undefined || listed.includes(name) || Object.hasOwn(this.made, name);
    const next = Object.fromEntries(Object.entries(all).filter(([name]) => isListed(name)));
    const names = new Set([...Object.keys(this.values), ...Object.keys(next)]);
    const changed = [...names].filter((name) => this.values[name] !== next[name]);
    for (const name of changed) {
      if (next[name] === undefined) delete this.values[name];
      else this.values[name] = next[name];
    }
    return changed;
  }
}
