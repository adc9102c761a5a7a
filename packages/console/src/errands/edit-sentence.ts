/**
 * One sentence of an errand's file, changed in its place: all else, remarks included, stays as it was
 * written.
 */
import { parseDocument } from 'yaml';
import { http } from '../shared/use-loaded.js';

/** Where a sentence stands in the file. */
export type Place = readonly string[];

export interface Sentences {
  at(place: Place): string;
}

/** The sentences as the file has them now. */
export async function sentencesOf(errand: string): Promise<Sentences> {
  const file = await http.file('errands', errand);
  const document = parseDocument(file.text);
  return {
    at: (place) => {
      const value = document.getIn(place);
      return typeof value === 'string' ? value : '';
    },
  };
}

/** @throws ServiceError where the file would be wrong with it, or was changed in the meantime */
export async function changeSentence(errand: string, place: Place, text: string): Promise<void> {
  const file = await http.file('errands', errand);
  const document = parseDocument(file.text);
  if (text === '') document.deleteIn(place);
  else document.setIn(place, text);
  await http.writeFile('errands', errand, document.toString({ lineWidth: 0 }), file.etag);
}
