/**
 * Which German words are nouns, and so have a capital: common ones, endings that only nouns have, and what
 * stands after an article.
 */
import { valueOf } from './numbers.js';

const COMMON = new Set(
  `bescheid besucher dank grad gäste kunden minute minuten nächte schritt schritte stern sterne stufe stufen vorschlag käse plätzchen brötchen sätze sitze
  abend abendbrot abendessen adresse angebot anfang anlegestelle anruf anschluss antwort arbeit art arzt aufenthalt auge ausflug ausgang ausweis auto bad bahn bahnhof
  balkon bank baum berg berge beruf besuch bett betten bild bier blatt bluse boot boote boden brief brille brot bruder brücke buch bücher buchung bus café chef code dach dame
  datum decke decken dorf durst dusche duschen eier eingang eltern ende essen fahrrad fahrräder fahrt fall familie farbe fehler feld fenster feuer fisch flasche fluss form frage
  fragen frau frauen freund freunde freundin frühling frühstück fuß garten gast gäste gebäude geburtstag gefühl gegend geld gericht geschäft geschichte gesicht gespräch gewitter
  gepäck getränk getränke glas gleis gramm grill größe grund gruppe grüße haare hafen hand handtuch handtücher handy haus häuser heft heizung herbst herd herr herz hilfe himmel hof
  holz hotel hund hunde hunger hütte hütten idee insel jahr jahre jacke junge kaffee kajak kajaks kanu kanus karte karten kartennummer kasse katze keller kellner kilo kilometer kind kinder
  kino kirche kleid knopf koch koffer konto kopf kosten küche kuchen kühlschrank kunde kurs land landschaft leben leiter leute licht liebe liste liter löffel luft lust mahlzeit
  mal maler mann männer mantel markt matratze meer mensch menschen messer meter milch mittag mittagessen mitte moment monat monate mond morgen mutter nachbar nachmittag nachricht nacht nächte
  name namen nase nebel norden nummer obst öffnungszeiten ofen ohr ort osten paar paket papier park parkplatz party pass pause person personen pfad pfand pferd plan platz plätze post preis
  preise problem programm prozent punkt quelle rad radio rat rechnung regen reise rest restaurant rezept richtung ruder rücken saal sache sachen saft salz sattel schatten schiff schlafsack schlafsäcke
  schlüssel schnee schrank schuhe schule schwester schwimmweste schwimmwesten see segel seite sekunde sekunden sommer sonne sonntag spaß speisekarte sport sprache stadt stall start steg stelle stern stock strand straße strom stück stuhl stunde stunden
  sturm suppe süden tag tage tal tasche tasse tee teil telefon telefonnummer teller termin teppich text ticket tickets tier tiere tisch tochter topf tour treppe tür uhr uhrzeit urlaub vater verein verleih verspätung
  vogel vormittag vorname vorrat wald wand wanderung wasser weg wege wein weile welt werkzeug werkstatt westen wetter wiese wind winter wirt woche wochen wochenende wohnung wolke wort wunsch zahl zahlen zeit zelt zelte zentrum
  ziel ziele zimmer zucker zug zukunft schüler schülerin laden rabatt äpfel birnen auskunft ersatzteil ersatzteile wiedersehen wiederhören`.split(
    /\s+/,
  ),
);
const DAYS =
  /^(?:montag|dienstag|mittwoch|donnerstag|freitag|samstag|sonnabend|sonntag)(?:abend|morgen|mittag|nachmittag|vormittag|nacht)?$/;
const ENDINGS =
  /.{3}(?:ungen|ung|heiten|heit|keiten|keit|schaften|schaft|tionen|tion|tät|ismus|ment|nis|nisse|chen|lein|ling|tum)$/;
/** Verbs, adverbs and others with such an ending. */
const NO_NOUNS = new Set(
  'vergessen gegessen angemessen besessen gesessen machen brauchen suchen sprechen lachen kochen rechen zwischen inzwischen manchen solchen welchen jung gleichen reichen weichen besuchen versuchen möchten bisschen stechen brechen erreichen sprachen wachen tauchen rauchen'.split(
    ' ',
  ),
);
/** Compounds end in what is a noun by itself. */
const HEADS =
  /.{3}(?:hütte|hütten|haus|zimmer|karte|karten|nummer|zeit|zeiten|weg|wege|platz|plätze|boot|boote|buch|stunde|stunden|abend|morgen|essen|wasser|brücke|schlüssel|preis|preise|stelle|straße|wetter|tag|tage|see|berg|bett|betten|verleih|weste|westen)$/;
const ARTICLES = new Set(
  'der die das dem den des ein eine einen einem einer eines kein keine keinen keinem keiner mein meine meinen meinem meiner dein deine unser unsere unseren unserem ihr ihre ihren ihrem im am zum zur beim vom ins ans dieser diese dieses diesen diesem jeder jede jedes jeden welche welcher welches welchen'.split(
    ' ',
  ),
);
/** Nouns that are other words too. */
const DOUBLE = new Set('essen fragen leben kosten rat paar mal reise form'.split(' '));
/** What stands after an article, or for a noun, and is none. */
const NO_HEADS = new Set(
  `ist sind war waren hat haben wird werden kann können und oder aber nicht auch noch sehr so zu schon nur ich du er sie es wir ihr mich mir dich uns euch ihnen ihm sich was wer wie wo wann da dort hier heute gestern übermorgen
  bitte danke ja nein gut gute guten gutes guter groß große großen großes großer klein kleine kleinen kleines kleiner alt alte alten altes alter neu neue neuen neues neuer lang lange langen langes langer kurz kurze kurzen kurzes kurzer warm warme warmen warmes kalt kalte kalten kaltes
  rot rote roten rotes blau blaue blauen blaues grün grüne grünen grünes gelb gelbe gelben weiß weiße weißen schwarz schwarze schwarzen frei freie freien freies nächste nächsten nächster nächstes letzte letzten letzter letztes erste ersten erster erstes zweite zweiten dritte dritten ganze ganzen ganzes
  beste besten bester bestes schöne schönen schönes schöner schnell schnelle schnellen günstige günstigen billige teure teuren nahe nähe andere anderen anderes anderer beiden beide viele vielen wenige mehr weniger alle alles meisten richtige richtigen richtiges offen offene geöffnet geschlossen gleiche gleichen selbe selben eigenen eigene eigenes
  am im um zum zur beim vom ins ans pro je
  von für mit bei nach aus auf an in über unter vor hinter neben durch gegen ohne um bis seit während wegen trotz als wenn dass weil ob denn halb viertel dreiviertel etwas jemand niemand nichts man`.split(
    /\s+/,
  ),
);

const ADJECTIVE = /.{2}(?:e|er|en|es|em)$/;
const VERB_LIKE = /(?:t|st|te|ten)$/;

/**
 * @param before the words before it, and after the words after it, the nearest first; none where the sentence
 * begins or ends
 */
export function isNoun(
  word: string,
  [before, earlier]: readonly (string | undefined)[],
  [after, later]: readonly (string | undefined)[],
): boolean {
  if (!/^[a-zäöüß]{2,}$/.test(word)) return false;
  const isAfterArticle = before !== undefined && ARTICLES.has(before);
  const itself = byItself(word, before, isAfterArticle);
  if (itself !== null) return itself;
  const isCounted = before !== undefined && (valueOf(before) ?? 0) > 1;
  if (isCounted) return word.length > 3;
  // "ein guter Vorschlag": an adjective stands between.
  if (isAdjective(before) && earlier !== undefined && ARTICLES.has(earlier))
    return !VERB_LIKE.test(word) && !ADJECTIVE.test(word);
  return isAfterArticle && isNamedBy(before, word, after, later);
}

const isAdjective = (word: string | undefined): boolean =>
  word !== undefined && ADJECTIVE.test(word) && !COMMON.has(word);

/** What the word, and the one before it, tell for certain; null where they do not. */
function byItself(word: string, before: string | undefined, isAfterArticle: boolean): boolean | null {
  if (word === 'morgen') return isAfterArticle || /^(?:guten|jeden|diesen)$/.test(before ?? '');
  if (DOUBLE.has(word)) return isAfterArticle && !(word === 'paar' && before === 'ein');
  // "ich frage", "ich reise"
  if (before === 'ich' && word.endsWith('e')) return false;
  if (DAYS.test(word) || COMMON.has(word)) return true;
  if (NO_NOUNS.has(word) || NO_HEADS.has(word)) return false;
  return byEnding(word);
}

function byEnding(word: string): boolean | null {
  if (ENDINGS.test(word) || HEADS.test(word)) return true;
  return /(?:isch|lich|ig|bar|sam|los|haft)$/.test(word) ? false : null;
}

/** After an article. */
function isNamedBy(
  article: string,
  word: string,
  after: string | undefined,
  later: string | undefined,
): boolean {
  // "zur Apotheke zeigen", "der Laden liegt": nothing follows that an adjective could belong to.
  const standsAlone =
    after === undefined ||
    NO_HEADS.has(after) ||
    /[^s]t$/.test(after) ||
    (later === undefined && /en$/.test(after) && !COMMON.has(after));
  if (ADJECTIVE.test(word)) return standsAlone && !/^(?:das|ihr|ihre)$/.test(article);
  // "das stimmt": what follows may be a verb, or an adjective.
  return !(VERB_LIKE.test(word) && /^(?:das|die|der|ihr)$/.test(article));
}
