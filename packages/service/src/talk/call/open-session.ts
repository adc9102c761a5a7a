/** A call's session, with everything of the service that it needs: engines, records, what it costs. */
import {
  JournalPacker,
  pcm16Bytes,
  primaryOf,
  type OrderOf,
  type Plan,
  type RunOutcome,
} from '@verbalon/core';
import { encodedValues, fillTemplate } from '@verbalon/engines';
import type { CallerMessageOf, ErrandFile } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { causeOf } from '../../database/connection.js';
import type { Keeper } from '../../database/keeper.js';
import { MOST_ROW_SAMPLES } from '../../database/talk-sound.js';
import type { EngineRegistry } from '../../engines/registry.js';
import type { Ledger } from '../../engines/ledger.js';
import { PROBLEMS, type ProblemCode } from '../../problems/problems.js';
import type { Assistant } from '../../project/events.js';
import type { Project } from '../../project/project.js';
import { definedOnly } from './arrival.js';
import type { LinePort } from '../session/line-port.js';
import type { TalksHere } from './talk-directory.js';
import { CallerPage } from '../page/caller-page.js';
import { EngineChoice } from '../session/engine-choice.js';
import { OwnStages } from '../../stages/own-stages.js';
import type { StageWorkers } from '../../stages/workers.js';
import type { PhraseStore } from '../session/phrase-store.js';
import { Spending } from '../session/spending.js';
import type { Outbox, Sender } from '../../messages/outbox.js';
import { runId, type ErrandRunner } from '../../errands/runner.js';
import { zoneOf } from '../../project/zone.js';
import { whyNotOut, type StayOf } from '../../common/ways-out.js';
import { Session, type OnScreen, type SessionErrands, type SessionRecord } from '../session/session.js';

export interface TalkHost {
  readonly engines: EngineRegistry;
  readonly project: Project;
  readonly ledger: Ledger;
  readonly phrases: PhraseStore;
  readonly stageWorkers: StageWorkers;
  readonly errands: ErrandRunner;
  readonly outbox: Outbox;
  readonly keeper: Keeper;
  readonly log: Logger;
  readonly talks: TalksHere;
  /** Pages of callers whose talks go on, by the talks' ids. */
  readonly pages: Map<string, CallerPage>;
}

/** The talk that is opened, and the line that it is on. */
interface Opened {
  conversation: string;
  /** Of the line's sound. */
  rateHz: number;
  line: LinePort;
}

/** Who is on the line. */
interface Talker {
  caller: CallerMessageOf<'arrive'>['caller'];
  sender: Sender;
}

export function openSession(
  host: TalkHost,
  { conversation, rateHz, line }: Opened,
  assistant: Assistant,
  plan: Plan,
  { echo, parts = [] }: CallerMessageOf<'arrive'>,
  { caller, sender }: Talker,
): Session {
  const { keeper, log, engines, project, phrases, pages, stageWorkers: workers } = host;
  const held = engines.forTalk();
  const { name, file, profile } = assistant;
  const page = new CallerPage(parts, (message) => session.send(message));
  pages.set(conversation, page);
  const session: Session = new Session({
    id: conversation,
    plan,
    stay: file.stay ?? null,
    // Expected phrases are of the assistant's own language.
    profile: primaryOf(plan.language) === primaryOf(file.language) ? profile : null,
    voice: definedOnly(file.voice ?? {}),
    engines: held,
    choice: new EngineChoice(engines, project, assistant, log, plan),
    phrases,
    stages: new OwnStages({
      talk: conversation,
      stages: file.stages ?? {},
      folder: project.folder,
      stay: file.stay ?? null,
      workers,
      page,
      log,
    }),
    spending: spendingOf(host, conversation, assistant, {
      line,
      close: (detail) => session.happen({ kind: 'closeAsked', detail }),
    }),
    rateHz,
    // What we say may come back in the caller's microphone.
    mayEcho: echo !== 'none',
    errands: errandsFor(host, conversation, assistant, { caller, sender }),
    zone: zoneOf(project.file),
    caller,
    log,
    record: file.recorded ? recordOf(keeper, conversation, plan.notice !== undefined) : NOTHING_KEPT,
    line,
    begun: () => {
      tellUndelivered(host, session, name, sender);
      const deafen = engines.health.listen((engine, resting) =>
        session.happen({ kind: 'engineIs', engine, resting }),
      );
      return () => {
        deafen();
        held.release();
      };
    },
  });
  return session;
}

/** Messages of this caller that did not arrive are told at the next talk. */
function tellUndelivered(
  { outbox, log }: TalkHost,
  session: Session,
  assistant: string,
  sender: Sender,
): void {
  outbox.untold(assistant, sender).then(
    (missed) => {
      if (missed.length === 0) return;
      const named = (unsure: boolean) =>
        missed.filter((one) => one.unsure === unsure).map(({ name }) => name);
      session.happen({ kind: 'undelivered', names: named(false), unsure: named(true) });
    },
    (error: unknown) => log.warn({ why: causeOf(error) }, 'whether messages arrived cannot be read now'),
  );
}

function errandsFor(
  { errands }: TalkHost,
  conversation: string,
  { name, file }: Assistant,
  { caller, sender }: Talker,
): SessionErrands {
  const whom = { conversation, assistant: name, stay: file.stay ?? null, sender, caller: caller?.name ?? '' };
  return {
    run: (order, screen) => errands.run(order, whom, (one) => onScreen(one, order, screen, whom.stay)),
    stop: (run) => errands.stop(conversation, run),
    note: ({ run, errand, stage, slots }) => {
      if (stage !== 'cancelled' && stage !== 'handed over') return;
      const held = Object.fromEntries(slots.map((slot) => [slot.name, slot.value]));
      void errands.note({
        id: runId(conversation, run),
        conversation,
        run,
        errand,
        assistant: name,
        slots: held,
        state: stage,
      });
    },
  };
}

const USUAL_SCREEN_DEADLINE_MS = 15_000;

/** What is done on the caller's own screen; null for an errand that is done here. */
function onScreen(
  { does }: ErrandFile,
  { run, slots }: OrderOf<'doErrand'>,
  screen: OnScreen,
  stay: StayOf,
): Promise<RunOutcome> | null {
  if (!('screen' in does)) return null;
  const { call, open, show, fill } = does.screen;
  const opened = open === undefined ? null : placed(open, slots);
  // An address that is opened takes what stands in it along.
  if (
    opened !== null &&
    (opened === '' || (URL.canParse(opened) && whyNotOut(stay, new URL(opened).hostname) !== null))
  )
    return Promise.resolve({ ending: 'failed', given: {} });
  const filled = (template: string) => String(fillTemplate(template, slots));
  const what = {
    ...(call === undefined ? {} : { call }),
    ...(opened === null ? {} : { open: opened }),
    ...(show === undefined ? {} : { show: filled(show) }),
    ...(fill === undefined
      ? {}
      : { fill: Object.fromEntries(Object.entries(fill).map(([name, text]) => [name, filled(text)])) }),
  };
  return screen(run, what, does.deadlineMs ?? USUAL_SCREEN_DEADLINE_MS);
}

/** An address with its places filled; an empty one where a value would walk out of its place. */
function placed(template: string, slots: OrderOf<'doErrand'>['slots']): string {
  try {
    return String(fillTemplate(template, encodedValues(slots)));
  } catch {
    return '';
  }
}

const NOTHING_KEPT: SessionRecord = {
  journal: () => undefined,
  turn: () => undefined,
  audio: () => undefined,
};

/** @param isAfterNotice the caller is kept from when the notice was said */
function recordOf(keeper: Keeper, conversation: string, isAfterNotice: boolean): SessionRecord {
  const packer = new JournalPacker();
  let isTold = !isAfterNotice;
  return {
    journal: ({ body, ...entry }) =>
      keeper.journal({ conversation, ...entry, body: packer.pack(entry.side, body) }),
    turn: (report) => {
      isTold = true;
      return keeper.turn({ conversation, report });
    },
    audio: (side, firstSample, samples) => {
      if (side === 'caller' && !isTold) return;
      for (let at = 0; at < samples.length; at += MOST_ROW_SAMPLES) {
        const part = samples.subarray(at, at + MOST_ROW_SAMPLES);
        keeper.audio(conversation, side, firstSample + at, Buffer.from(pcm16Bytes(part).buffer));
      }
    },
  };
}

function troubleOf(code: ProblemCode, detail: string) {
  const { title, remedy } = PROBLEMS[code];
  return { kind: 'trouble' as const, atMs: 0, code, title, detail, remedy };
}

function spendingOf(
  { engines, ledger, keeper }: TalkHost,
  conversation: string,
  { name, file }: Assistant,
  { line, close }: { line: LinePort; close: (why: string) => void },
): Spending {
  const tell = (code: ProblemCode, detail: string) => line.send(troubleOf(code, detail));
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
      close(detail);
    },
  });
}
