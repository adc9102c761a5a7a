/** Addresses of a project's files: `standin:NAME/…` stands for where that stand-in is by now. */
const NOBODY = 'http://127.0.0.1:9';

export const standinAddress = (address: string, standins: Readonly<Record<string, string>>): string =>
  address.replace(/^standin:([a-z0-9-]+)/, (_, name: string) => (Object.hasOwn(standins, name) ? standins[name]! : NOBODY)); // prettier-ignore
