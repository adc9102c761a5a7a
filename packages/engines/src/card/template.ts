/** What a card says is to be sent: JSON in which `{name}` stands for a value. */

export type Values = Readonly<Record<string, unknown>>;

interface Each {
  each?: unknown;
  item?: unknown;
  called?: unknown;
  result?: unknown;
}

const NAME = /\{([a-zA-Z]\w*)\}/g;

/**
 * The template with its values put in. A text that is nothing but `{name}` becomes the value itself, of
 * whatever type; where there is no such value its property is left out. `{each: NAME, item: …}` becomes a
 * list; `called` and `result` stand for
 * `item` where one of the list holds calls of functions, or what a function has given.
 */
export function fill(template: unknown, values: Values): unknown {
  if (typeof template === 'string') return fillText(template, values);
  if (Array.isArray(template)) return template.map((one) => fill(one, values));
  if (template === null || typeof template !== 'object') return template;
  const { each, item, called = item, result = item } = template as Each;
  if (typeof each === 'string' && item !== undefined) {
    const list = valueOf(values, each);
    if (!Array.isArray(list)) return undefined;
    return (list as Values[]).map((one) => {
      const shape = one.calls !== undefined ? called : one.call !== undefined ? result : item;
      return fill(shape, { ...values, ...one });
    });
  }
  const filled = Object.entries(template).map(([key, one]) => [key, fill(one, values)] as const);
  return Object.fromEntries(filled.filter(([, one]) => one !== undefined));
}

const valueOf = (values: Values, name: string) => (Object.hasOwn(values, name) ? values[name] : undefined);

function fillText(text: string, values: Values): unknown {
  const whole = /^\{([a-zA-Z]\w*)\}$/.exec(text)?.[1];
  if (whole !== undefined) return valueOf(values, whole);
  return text.replace(NAME, (_, name: string) => String(valueOf(values, name) ?? ''));
}

/** The names that a template wants values for. */
export function namesIn(template: unknown): string[] {
  if (typeof template === 'string') return [...template.matchAll(NAME)].map(([, name]) => name!);
  if (template === null || typeof template !== 'object') return [];
  const { each, ...rest } = template as Each;
  if (typeof each === 'string' && rest.item !== undefined) return [each, ...namesIn(rest)];
  return Object.values(template).flatMap(namesIn);
}

/** A filled template as it is sent. */
export const textOf = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value));
