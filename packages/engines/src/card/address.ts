/**
 * Addresses and headers as project files write them: stand-ins by their names, `{name}` for a value,
 * `{secret}` for a key.
 */
import { fill, type Values } from './template.js';

/** Nobody listens there. */
const NOBODY = 'http://127.0.0.1:9';

/** Where stand-ins are by now, by their names. */
export type StandinAddresses = Readonly<Record<string, string>>;

/** `standin:NAME/…` stands for where that stand-in is by now. */
export const standinAddress = (address: string, standins: StandinAddresses): string =>
  address.replace(/^standin:([a-z0-9-]+)/, (_, name: string) =>
    Object.hasOwn(standins, name) ? standins[name]! : NOBODY,
  );

/**
 * Values that stay within their places of an address: each is one segment, or a part of one. @throws
 * TypeError for one that would walk out of its place
 */
export const encodedValues = (values: Values): Values =>
  Object.fromEntries(
    Object.entries(values).map(([key, one]) => {
      const text = String(one ?? '');
      if (/^\.{1,2}$/.test(text)) throw new TypeError(`"${text}" is no value of an address`);
      return [key, encodeURIComponent(text)];
    }),
  );

/** A place that is a whole segment of the path. */
const WHOLE_SEGMENT = /(?<=\/)\{([^{}|]+)\}(?=\/|$)/g;

/**
 * The place in the path that these values leave empty, if they do: the address would name what lies around
 * it, all bookings and not one.
 */
export function emptySegment(template: string, values: Values): string | undefined {
  const places = [...template.split('?')[0]!.matchAll(WHOLE_SEGMENT)].map(([, name = '']) => name);
  return places.find((name) => String(values[name] ?? '') === '');
}

/** @throws TypeError for what is no address when it is filled, or another than was meant */
export function addressOf(template: string, values: Values, standins: StandinAddresses): URL {
  const empty = emptySegment(template, values);
  if (empty !== undefined) throw new TypeError(`{${empty}} is empty`);
  return filledAddress(template, values, standins);
}

/**
 * … though places of its path may be empty: for who asks something else of the same host. @throws TypeError
 * for what is no address
 */
export const filledAddress = (template: string, values: Values, standins: StandinAddresses): URL =>
  new URL(String(fill(standinAddress(template, standins), encodedValues(values))));

export const withSecret = (
  headers: Readonly<Record<string, string>> = {},
  secret: string,
): Record<string, string> =>
  Object.fromEntries(
    Object.entries(headers).map(([name, text]) => [name, text.replaceAll('{secret}', secret)]),
  );
