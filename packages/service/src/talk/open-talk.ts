/** A call's talk, with everything of the service that it needs: engines, records, what it costs. */
import {
  JournalPacker,
  pcm16Bytes,
  speaks,
  spokenLanguage,
  type EngineRole,
  type Plan,
} from '@verbalon/core';
import { writeFrame } from '@verbalon/protocol';
import type { Logger } from 'pino';
import type { Keeper } from '../database/keeper.js';
import { MOST_ROW_SAMPLES } from '../database/talk-sound.js';
import type { EngineSet } from '../engines/engine-set.js';
import type { Ledger } from '../engines/ledger.js';
import { PROBLEMS, ProblemError, type ProblemCode } from '../problems.js';
import type { Assistant, Project } from '../project/project.js';
import { definedOnly } from './arrival.js';
import type { Call } from './call.js';
import { OwnStages } from '../stages/own-stages.js';
import type { StageWorkers } from '../stages/workers.js';
import type { PhraseStore } from './phrase-store.js';
import { Spending } from './spending.js';
import { Talk, type TalkRecord } from './talk.js';

export interface TalkHost {
  readonly engines: EngineSet;
  readonly project: Project;
  readonly ledger: Ledger;
  readonly phrases: PhraseStore;
  readonly stageWorkers: StageWorkers;
  readonly keeper: Keeper;
  readonly log: Logger;
  /** Calls that go on, by their tokens. */
  readonly calls: Map<string, Call>;
}

/** @param mayEcho what we say may come back in the caller's microphone */
export function openTalk(
  host: TalkHost,
  call: Call,
  assistant: Assistant,
  plan: Plan,
  mayEcho: boolean,
): Talk {
  const { keeper, log, engines, project, phrases, stageWorkers: workers } = host;
  const { conversation, rateHz } = call;
  const recorded = assistant.file.recorded ?? false;
  const talk: Talk = new Talk({
    id: conversation,
    plan,
    stay: assistant.file.stay ?? null,
    profile: assistant.profile,
    voice: definedOnly(assistant.file.voice ?? {}),
    engines,
    phrases,
    stages: new OwnStages({
      talk: conversation,
      stages: assistant.file.stages ?? {},
      folder: project.folder,
      workers,
      log,
    }),
    spending: spendingOf(host, call, assistant, () => talk),
    rateHz,
    mayEcho,
    log,
    record: recorded ? recordOf(keeper, conversation) : nothingKept,
    send: (out) => call.send(out),
    sendSound: ({ speech, firstSample, samples, last }) =>
      call.put(writeFrame({ from: 'assistant', epoch: speech, firstSample, last, samples })),
    hangUp: (why) => call.hangUp(why),
    failed: () => call.fail({ ...troubleOf('internal', 'the talk ends here; it is stored'), fatal: true }),
    begun: () => engines.listen((engine, resting) => talk.happen({ kind: 'engineIs', engine, resting })),
  });
  // As the conductor has it by now: what was swapped stays when a language changes.
  const lineup = { ...plan.lineup };
  call.swap = (role, engine) => {
    swap(host, assistant, talk, role, engine);
    lineup[role] = [engine, ...lineup[role].filter((name) => name !== engine)];
  };
  let languages: Languages = { hears: plan.language, speaks: spokenLanguage(plan) };
  call.setLanguage = (wanted) => {
    const next = { hears: wanted.hears ?? languages.hears, speaks: wanted.speaks ?? languages.speaks };
    talk.happen({ kind: 'languageSet', ...next, lineup: lineupFor(engines, lineup, next) });
    languages = next;
  };
  return talk;
}

const nothingKept: TalkRecord = { journal: () => undefined, turn: () => undefined, audio: () => undefined };

function recordOf(keeper: Keeper, conversation: string): TalkRecord {
  const packer = new JournalPacker();
  return {
    journal: ({ body, ...entry }) =>
      keeper.journal({ conversation, ...entry, body: packer.pack(entry.side, body) }),
    turn: (report) => keeper.turn({ conversation, report }),
    audio: (side, firstSample, samples) => {
      for (let at = 0; at < samples.length; at += MOST_ROW_SAMPLES) {
        const part = samples.subarray(at, at + MOST_ROW_SAMPLES);
        keeper.audio({ conversation, side, firstSample: firstSample + at, samples: Buffer.from(pcm16Bytes(part)) }); // prettier-ignore
      }
    },
  };
}

function troubleOf(code: ProblemCode, detail: string) {
  const { title, remedy } = PROBLEMS[code];
  return { kind: 'trouble' as const, atMs: 0, code, title, detail, remedy };
}

/** @throws ProblemError `engine-unknown` or `engine-forbidden` */
function swap(
  { engines, project, log }: TalkHost,
  assistant: Assistant,
  talk: Talk,
  role: 'stt' | 'llm' | 'tts',
  name: string,
): void {
  engines.of(role, name);
  const why = project.whyNot(assistant.file, role, name.split('?')[0]!);
  if (why !== null) throw new ProblemError('engine-forbidden', why);
  const change = () => talk.happen({ kind: 'swapAsked', role, engine: name });
  // Ears know the expected phrases before they are used; until then the others hear on.
  const ready = role === 'stt' ? engines.prepareEars(assistant, name) : Promise.resolve();
  void Promise.all([ready, engines.warm(name).catch(() => undefined)]).then(change, (error: unknown) =>
    log.warn({ engine: name, why: String(error) }, 'an engine that was asked for cannot be made ready'),
  );
}

interface Languages {
  hears: string;
  speaks: string;
}

/** Of the assistant's engines those that know the languages. @throws ProblemError `language-unknown` where of a role none does */
function lineupFor(engines: EngineSet, lineup: Plan['lineup'], { hears, speaks: spoken }: Languages) {
  const knowing = (role: EngineRole) => {
    const tag = role === 'stt' ? hears : spoken;
    const known = lineup[role].filter((name) => speaks(engines.of(role, name), tag));
    if (known.length > 0) return known;
    throw new ProblemError('language-unknown', `of ${lineup[role].join(', ')} none knows "${tag}"`);
  };
  return { stt: knowing('stt'), llm: knowing('llm'), tts: knowing('tts') };
}

function spendingOf(
  { engines, ledger, keeper }: TalkHost,
  call: Call,
  assistant: Assistant,
  talk: () => Talk,
): Spending {
  const { name, file } = assistant;
  const { conversation } = call;
  const tell = (code: ProblemCode, detail: string) => call.send(troubleOf(code, detail));
  return new Spending({
    prices: (engine) => engines.prices(engine),
    usedBefore: (engine) => ledger.usedThisMonth(engine),
    spentToday: () => (file.budget ? ledger.spentToday(name, file.budget.currency) : 0),
    budget: file.budget,
    keep: (uses, turn) => {
      const at = new Date();
      for (const use of uses) {
        ledger.book({ ...use, assistant: name, at });
        keeper.use({ ...use, conversation, assistant: name, turn, at });
      }
    },
    warn: (detail) => tell('budget-near', detail),
    usedUp: (detail) => {
      tell('budget-used-up', detail);
      talk().happen({ kind: 'closeAsked', why: detail });
    },
  });
}
