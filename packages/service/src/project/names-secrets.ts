/**
 * Secrets that files name, and where each goes: whoever can send a file over HTTP must not read a variable by
 * sending it to a host of their own.
 */
import type { EngineCard, ErrandFile, ProjectFile } from '@verbalon/protocol';
import type { Project } from './project.js';
import type { FileKind } from './watching.js';

interface Named {
  secret: string;
  /** The hosts that are sent it. */
  host: string;
}

const hostIn = (address: string): string => {
  const [, host = ''] = /^[a-z]+:(?:\/\/)?([^/?#]*)/i.exec(address) ?? [];
  return address.startsWith('standin:') ? address.split('/')[0]! : host;
};

function ofCard(card: EngineCard): Named[] {
  if (!('secret' in card) || card.secret === undefined) return [];
  const { secret } = card;
  const addresses = [
    'address' in card ? card.address : 'a program',
    ...('token' in card && card.token ? [card.token.post] : []),
  ];
  return addresses.map((address) => ({ secret, host: hostIn(address) }));
}

function ofErrand({ does, slots }: ErrandFile): Named[] {
  const http =
    'http' in does && does.http.secret !== undefined
      ? [does.http.to, ...(does.http.wasDone ? [does.http.wasDone.to] : [])].map((to) => ({
          secret: ('http' in does && does.http.secret) as string,
          host: hostIn(to),
        }))
      : [];
  const listed = Object.values(slots).flatMap(({ values }) =>
    values !== undefined && 'from' in values && values.secret !== undefined
      ? [{ secret: values.secret, host: hostIn(values.from) }]
      : [],
  );
  return [...http, ...listed];
}

function ofProject({ phone, handOver, messages = {} }: ProjectFile): Named[] {
  const ways = Object.values(messages).flatMap((way) =>
    'phone' in way ? [] : [{ secret: way.secret, to: 'smtp' in way ? way.smtp : way.webhook }],
  );
  const registrations = (phone?.registrations ?? []).map(({ secret, at }) => ({ secret, to: at }));
  const passed = handOver === undefined ? [] : [{ secret: handOver.secret, to: handOver.webhook ?? '' }];
  return [...ways, ...registrations, ...passed].flatMap(({ secret, to }) =>
    secret === undefined ? [] : [{ secret, host: hostIn(to) }],
  );
}

/** The secrets of a file of this kind. */
export function secretsIn(kind: FileKind | 'project', file: unknown): Named[] {
  if (kind === 'project') return ofProject(file as ProjectFile);
  if (kind === 'engines') return ofCard(file as EngineCard);
  return kind === 'errands' ? ofErrand(file as ErrandFile) : [];
}

/**
 * What of secrets a file would name, or send to a host, that it did not before; null when nothing. @throws
 * ProblemError where it cannot be used
 */
export function newlySent(
  project: Project,
  kind: FileKind | 'project',
  name: string,
  yaml: string,
): string | null {
  if (kind === 'project') {
    const after = project.parseProject(yaml);
    return newlyListed(project.file, after) ?? freshIn(secretsIn(kind, project.file), secretsIn(kind, after));
  }
  const file = kind === 'engines' ? project.engines.get(name) : project.errands.files.get(name);
  const before = file === undefined ? [] : secretsIn(kind, file);
  return freshIn(before, secretsIn(kind, project.parse(kind, name, yaml)));
}

function freshIn(before: readonly Named[], after: readonly Named[]): string | null {
  const isKnown = (one: Named) =>
    before.some(({ secret, host }) => secret === one.secret && host === one.host);
  const fresh = after.find((one) => !isKnown(one));
  return fresh === undefined ? null : `the secret ${fresh.secret} for ${fresh.host}`;
}

/** "secrets" of project.yaml may become shorter, and not longer; without it files may name any. */
function newlyListed({ secrets: before }: ProjectFile, { secrets: after }: ProjectFile): string | null {
  if (before === undefined) return null;
  if (after === undefined) return 'every variable as a secret';
  const fresh = after.find((one) => !before.includes(one));
  return fresh === undefined ? null : `${fresh} under "secrets"`;
}
