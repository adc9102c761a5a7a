/** JSON Pointers (RFC 6901). */

const known = new Map<string, string[]>();

/** The pointers of a card are few, and asked for every message. */
function stepsOf(pointer: string): string[] {
  let steps = known.get(pointer);
  if (!steps) {
    steps = pointer
      .split('/')
      .slice(1)
      .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));
    known.set(pointer, steps);
  }
  return steps;
}

/** What the pointer names in the value; undefined when it is not there. */
export function at(value: unknown, pointer: string): unknown {
  let here = value;
  for (const step of stepsOf(pointer)) {
    if (here === null || typeof here !== 'object' || !Object.hasOwn(here, step)) return undefined;
    here = (here as Record<string, unknown>)[step];
  }
  return here;
}

/** Of several pointers, what the first one names that is there. */
export function firstAt(value: unknown, pointers: string | readonly string[]): unknown {
  for (const pointer of typeof pointers === 'string' ? [pointers] : pointers) {
    const found = at(value, pointer);
    if (found !== undefined && found !== null) return found;
  }
  return undefined;
}
