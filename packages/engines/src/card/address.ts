/** Addresses and headers as project files write them: stand-ins by their names, `{name}` for a value, `{secret}` for a key. */
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

/** Values that stay within their places of an address. */
export const encodedValues = (values: Values): Values =>
  Object.fromEntries(
    Object.entries(values).map(([key, one]) => [key, encodeURIComponent(String(one ?? ''))]),
  );

/** @throws TypeError for what is no address when it is filled */
export const addressOf = (template: string, values: Values, standins: StandinAddresses): URL =>
  new URL(String(fill(standinAddress(template, standins), encodedValues(values))));

export const withSecret = (
  headers: Readonly<Record<string, string>> = {},
  secret: string,
): Record<string, string> =>
  Object.fromEntries(
    Object.entries(headers).map(([name, text]) => [name, text.replaceAll('{secret}', secret)]),
  );
