const names = new Intl.DisplayNames(['en'], { type: 'language' });

/** The English name of a language; the tag itself where it has none. @param tag BCP 47 */
export function languageName(tag: string): string {
  return names.of(tag) ?? tag;
}
