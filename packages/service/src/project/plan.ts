/** From an assistant's file to what the conductor is told of it. */
import {
  languageOf,
  primaryOf,
  spokenLanguage,
  USUAL_MANNERS,
  type EngineRole,
  type Manners,
  type NamedErrand,
  type Plan,
  type Sounds,
} from '@verbalon/core';
import type { AssistantFile } from '@verbalon/protocol';
import { choicesOf, nameOf } from './cards.js';
import { namesOf, type Expecting } from './hearing-profile.js';

/**
 * @param acting engines of its lineup that do or remember what they are asked
 * @param expect what callers are likely to say; `heard`: and what they say for errands
 * @param wakeEars what listens for the phrases that wake it
 * @param errands what it can do
 * @param sounds of what callers are likely to say, where words may be put right by them
 */
export function planOf(
  file: AssistantFile,
  acting: readonly string[],
  { expect, heard }: { expect: Expecting | null; heard: Expecting | null },
  wakeEars: string | null,
  errands: readonly NamedErrand[],
  sounds: Sounds | null,
): Plan {
  const { persona, greeting, language } = file;
  const opens = typeof greeting === 'object' ? greeting : null;
  const ownSayings = { ...languageOf(spokenLanguage(file)).sayings, ...file.sayings };
  const sayingsIn = Object.fromEntries(
    Object.entries(file.also ?? {}).map(([tag, one]) => [
      tag,
      { ...languageOf(tag).sayings, ...one.sayings },
    ]),
  );
  const names = (role: EngineRole) => choicesOf(file.lineup, role).map(nameOf);
  return {
    purpose: 'talk',
    language,
    persona,
    greeting: opens ? opens.relief : typeof greeting === 'string' ? greeting : '',
    ...(opens ? { opening: opens.ask } : {}),
    sayings: ownSayings,
    sayingsIn: { [primaryOf(spokenLanguage(file))]: ownSayings, ...sayingsIn },
    names: namesOf(file.names ?? [], heard),
    expect: { phrases: expect?.phrases ?? [], slots: expect?.slots ?? {} },
    ...(sounds === null ? {} : { sounds }),
    written: file.written ?? true,
    manners: mannersOf(file),
    lineup: { stt: names('stt'), llm: names('llm'), tts: names('tts') },
    ...(file.speaks === undefined ? {} : { speaks: file.speaks }),
    ...(acting.length === 0 ? {} : { acting }),
    ...(wakeEars === null ? {} : { wakeEars }),
    ...(errands.length === 0 ? {} : { errands }),
    ...(file.person ? { person: true } : {}),
    ...(file.keys === undefined ? {} : { keys: file.keys }),
  };
}

/** The plan in another language in which the assistant talks too, with the engines that know it. */
export function planIn(
  tag: string,
  plan: Plan,
  file: AssistantFile,
  knows: (engine: string, tag: string) => boolean,
): Plan {
  const own = file.also?.[primaryOf(tag)];
  const rest = { ...plan };
  delete rest.opening;
  delete rest.speaks;
  delete rest.wakeEars;
  delete rest.sounds;
  // Errands speak the assistant's own language.
  delete rest.errands;
  const lineup = Object.fromEntries(
    Object.entries(plan.lineup).map(([role, names]) => [
      role,
      names.filter((name) => knows(name.split('?')[0]!, tag)),
    ]),
  ) as unknown as Plan['lineup'];
  return {
    ...rest,
    language: tag,
    persona: own?.persona ?? plan.persona,
    greeting: own?.greeting ?? '',
    sayings: plan.sayingsIn?.[primaryOf(tag)] ?? languageOf(tag).sayings,
    expect: { phrases: [], slots: {} },
    lineup,
  };
}

/** The manners that the file gives, and the usual ones for the rest; who greets speaks first. */
function mannersOf({ manners, greeting }: AssistantFile): Manners {
  const given = Object.entries(manners ?? {}).filter(([, value]) => value !== undefined);
  const speaksFirst = greeting ? ('assistant' as const) : ('caller' as const);
  return { ...USUAL_MANNERS, speaksFirst, ...Object.fromEntries(given) };
}
