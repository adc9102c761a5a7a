/** What new files begin as: each talks or can be checked as soon as what is written in capitals is put in. */
import { readFileSync } from 'node:fs';
import type { Shape } from '@verbalon/protocol';
import { parse } from 'yaml';

const folder = new URL('../../templates/', import.meta.url);
const read = (path: string): string => readFileSync(new URL(path, folder), 'utf8');

/** A template of the service's own, with what is put into it: `__NAME__` stands for the value of `NAME`. */
export const template = (path: string, values: Readonly<Record<string, string>> = {}): string =>
  filledIn(read(path), values);

export const filledIn = (text: string, values: Readonly<Record<string, string>>): string =>
  text.replace(/__([A-Z]+)__/g, (whole, name: string) => values[name] ?? whole);

/** `KIND/NAME.yaml`, or `.pls`. */
function shapeAt([path, title]: [string, string]): Shape {
  const [, kind, name] = /^(\w+)\/([\w-]+)\.\w+$/.exec(path)!;
  return { kind: kind as Shape['kind'], name: name!, title, text: read(path) };
}

export const SHAPES: readonly Shape[] = Object.entries(
  parse(read('titles.yaml')) as Record<string, string>,
).map(shapeAt);

/** @throws Error for a name that is none */
export function shapeOf(kind: Shape['kind'], name: string): Shape {
  const found = SHAPES.find((shape) => shape.kind === kind && shape.name === name);
  if (!found) throw new Error(`there is no shape ${kind}/${name}`);
  return found;
}
