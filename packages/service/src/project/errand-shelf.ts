/**
 * The errands' files of a project, and what their slots take from elsewhere: contacts, and values that
 * addresses give.
 */
import { NO_CONTACTS, type Choice, type Contacts, type NamedErrand } from '@verbalon/core';
import { ErrandFile } from '@verbalon/protocol';
import { readContacts } from './contacts.js';
import { parseYaml } from './read-yaml.js';
import { checkErrand, errandOf, type SlotSources } from './errands.js';

export class ErrandShelf implements SlotSources {
  readonly files = new Map<string, ErrandFile>();
  contacts: Contacts = NO_CONTACTS;
  /** What addresses have given, by `ERRAND/SLOT`. */
  readonly lists = new Map<string, readonly (string | Choice)[]>();

  private readonly made = new WeakMap<ErrandFile, NamedErrand>();

  constructor(readonly folder: string) {}

  /** @throws ProblemError `contacts-broken`; the contacts stay as they were */
  readContacts(): void {
    this.contacts = readContacts(this.folder);
  }

  readonly listed: SlotSources['listed'] = (errand, slot) => this.lists.get(`${errand}/${slot}`);

  /**
   * Made when its file was read: whatever it takes from elsewhere has the file read again when it changes.
   */
  get(name: string): NamedErrand | undefined {
    const file = this.files.get(name);
    return file && this.made.get(file);
  }

  /** @throws ProblemError with file and line */
  parse(name: string, yaml: string, path: string): ErrandFile {
    return parseYaml(yaml, path, ErrandFile, 'errand-broken', (file: ErrandFile) => {
      const errand = errandOf(name, file, this);
      checkErrand(errand, file);
      this.made.set(file, errand);
      return file;
    });
  }
}
