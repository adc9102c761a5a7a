/** What a card says is to be sent: JSON in which `{name}` stands for a value. */

export type Values = Readonly<Record<string, unknown>>;

const NAME = /\{([a-zA-Z]\w*)\}/g;

/**
 * The template with its values put in. A text that is nothing but `{name}` becomes the value itself, of whatever type;
 * where there is no such value its property is left out. `{each: NAME, item: …}` becomes a list.
 */
export function fill(template: unknown, values: Values): unknown {
  if (typeof template === 'string') return fillText(template, values);
  if (Array.isArray(template)) return template.map((one) => fill(one, values));
  if (template === null || typeof template !== 'object') return template;
  const { each, item } = template as { each?: unknown; item?: unknown };
  if (typeof each === 'string' && item !== undefined) {
    const list = valueOf(values, each);
    return Array.isArray(list) ? list.map((one) => fill(item, { ...values, ...(one as Values) })) : [];
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
  const { each, item } = template as { each?: unknown; item?: unknown };
  if (typeof each === 'string' && item !== undefined) return [each, ...namesIn(item)];
  return Object.values(template).flatMap(namesIn);
}
