/** `contacts.yaml` and the vCard files (RFC 6350) that it names: whom messages may go to. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import {
  checkContacts,
  Fault,
  NO_CONTACTS,
  PHONES,
  unknownPhones,
  type Contact,
  type ContactList,
  type Contacts,
} from '@verbalon/core';
import { ContactsFile } from '@verbalon/protocol';
import ICAL from 'ical.js';
import { readText, parseYaml } from './read-yaml.js';

export const CONTACTS_FILE = 'contacts.yaml';

/** @throws ProblemError `contacts-broken` with file and line */
export function readContacts(folder: string): Contacts {
  const path = join(folder, CONTACTS_FILE);
  if (!existsSync(path)) return NO_CONTACTS;
  return parseYaml(
    readText(path, 'contacts-broken'),
    CONTACTS_FILE,
    ContactsFile,
    'contacts-broken',
    (file: ContactsFile) => contactsOf(file, folder),
  );
}

/** @throws Fault with a path into the file */
function contactsOf({ contacts = {}, lists = {}, cards = [] }: ContactsFile, folder: string): Contacts {
  const people: Contact[] = Object.entries(contacts).map(
    ([key, { name, also = [], ways = {}, sounds = {} }]) => ({ key, name, also, ways, sounds }),
  );
  const groups: ContactList[] = Object.entries(lists).map(([key, { name, also = [], of }]) => ({
    key,
    name,
    also,
    of,
  }));
  for (const { key, sounds } of people)
    for (const [word, said] of Object.entries(sounds)) {
      const [unknown] = unknownPhones(said);
      if (unknown !== undefined)
        throw new Fault(
          'contacts-broken',
          `"${unknown}" is no phone of ARPAbet: ${PHONES.join(' ')}`,
          `/contacts/${key}/sounds/${word}`,
        );
    }
  for (const [i, card] of cards.entries()) {
    const read = cardsOf(readText(join(folder, card), 'contacts-broken'), card, `/cards/${i}`);
    people.push(...read.people);
    groups.push(...read.lists);
  }
  const all = { people, lists: groups };
  checkContacts(all);
  return all;
}

/** [name, parameters, type, value, …], as jCard (RFC 7095) has it. */
type Property = [string, Record<string, unknown>, string, ...unknown[]];

/** People and groups of a vCard file. @throws Fault */
function cardsOf(text: string, file: string, path: string): Contacts {
  const fail = (what: string): never => {
    throw new Fault('contacts-broken', `${file}: ${what}`, path);
  };
  let parsed: unknown;
  try {
    parsed = ICAL.parse(text);
  } catch {
    return fail('it is no vCard: each person stands between BEGIN:VCARD and END:VCARD');
  }
  const cards = (typeof (parsed as unknown[])[0] === 'string' ? [parsed] : parsed) as [string, Property[]][];
  const read = cards.map(([kind, properties]) => {
    if (kind !== 'vcard') fail(`it holds a "${kind}", and no vCard`);
    const all = (name: string) =>
      properties.filter((one) => one[0] === name).flatMap(([, , , ...values]) => values.map(String));
    const name = all('fn')[0]?.trim() || fail('a card has no FN, the name that is said');
    return {
      name,
      uid: all('uid')[0] ?? '',
      group: all('kind')[0] === 'group',
      members: all('member'),
      also: all('nickname'),
      ways: waysOf(all),
    };
  });
  const byUid = new Map(read.map(({ uid, name }) => [uid, keyOf(name)]));
  return {
    people: read
      .filter(({ group }) => !group)
      .map(({ name, also, ways }) => ({ key: keyOf(name), name, also, ways, sounds: {} })),
    lists: read
      .filter(({ group }) => group)
      .map(({ name, also, members }) => ({
        key: keyOf(name),
        name,
        also,
        of: members.map(
          (uid) =>
            byUid.get(uid) ?? fail(`the group "${name}" has a member "${uid}" that is no card of the file`),
        ),
      })),
  };
}

/**
 * A mail address and a telephone number; instant messaging is a way by the name of its scheme:
 * `IMPP:messenger:anna`.
 */
function waysOf(all: (name: string) => string[]): Record<string, string> {
  const [mail, phone] = [all('email')[0], all('tel')[0]];
  const impp = all('impp').flatMap((uri) => {
    const [, scheme, rest] = /^([a-z][a-z0-9-]*):(.+)$/.exec(uri) ?? [];
    return scheme === undefined ? [] : [[scheme, rest!] as const];
  });
  return {
    ...Object.fromEntries(impp),
    ...(mail === undefined ? {} : { mail }),
    ...(phone === undefined ? {} : { phone: phone.replace(/^tel:/, '') }),
  };
}

/** "Anna Miller" is `anna-miller`. */
const keyOf = (name: string): string =>
  name
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60) || 'nobody';
