/**
 * How an errand goes: what is asked next, read back, taken back and left, after each saying. Pure: what was
 * said and the time go in, what is to be done and the new state come out. Nothing is done here.
 */
import type { ErrandControl } from '../language/common/errand-words.js';
import {
  READ_BACK_WHEN_UNSURE,
  type Errands,
  type NamedErrand,
  type RunOutcome,
  type Run,
} from './contract.js';
import type { DialogueContext, Move, Said, Step } from './moves.js';
import { extract, extracting } from './extract.js';
import { wishAfter, wishesIn, type Wishes } from './wishes.js';
import { kindOf, takesAnyWords } from '../slots/values.js';
import { addTo, fill, fillFrom, newRun, unknownText, type Filling } from './fill.js';
import {
  abilitiesOf,
  fillIn,
  firstPart,
  join,
  outcomeText,
  readBackOf,
  recallOf,
  slotTexts,
} from './sentences.js';

/** So often in a row a question is not understood; then it is offered to leave it. */
const MOST_MISSES = 3;
/** A slot whose words are less certain is unsure, 0 to 1. */
const SURE = 0.5;
/** So many wishes may wait. */
const MOST_LATER = 3;
/** An answer of so few words that is none of the values is the name of something unknown. */
const MOST_UNKNOWN_WORDS = 4;

export const step = (errands: Errands, move: Move, ended: Step['ended'] = []): Step => ({
  errands,
  move,
  ended,
});
const pass = (errands: Errands): Step => step(errands, { do: 'pass' });
const errandOf = ({ book }: DialogueContext, run: Run): NamedErrand => book.get(run.errand)!;

/** The caller has said something. */
export function hearErrand(errands: Errands, said: Said, context: DialogueContext): Step {
  const words = said.tokens.map(({ word }) => word);
  const control = context.words.control(words);
  if (control === 'more' && errands.more !== '') return readOn(errands, context);
  const { current } = errands;
  if (!current) return beginAny(errands, control, said, context);
  // An errand whose file is gone has no more to ask.
  if (!context.book.get(current.errand)) return pass({ ...errands, current: null });
  if (current.stage === 'doing') return whileDoing(errands, current, control, said, context);
  if (control !== null && control !== 'more') return obey(errands, current, control, context);
  const other = context.book.begunBy(said.text);
  if (other && current.stage === 'taking up')
    return begin({ ...errands, current: null }, other, said, context, [
      { run: current, ending: 'cancelled' },
    ]);
  if (other && other.name !== current.errand) return park(errands, current, other, said, context);
  const isOpen = current.stage === 'asking' || current.stage === 'reading back';
  const more = isOpen ? wishAfter(current, said, context) : null;
  if (!more) return goOn(errands, current, said, context);
  return oneByOne(errands, more, (waiting) => goOn(waiting, current, more.now, context), context);
}

/** No errand goes on: one may begin, or two in one saying. */
function beginAny(
  errands: Errands,
  control: ErrandControl | null,
  said: Said,
  context: DialogueContext,
): Step {
  if (control === 'abilities' && context.book.errands.length > 0)
    return step(errands, { do: 'say', text: abilitiesOf(context.book.errands, context.words) });
  const wishes = wishesIn(said, context);
  if (wishes)
    return oneByOne(
      errands,
      wishes,
      (waiting) => begin(waiting, wishes.errand, wishes.now, context),
      context,
    );
  const errand = context.book.begunBy(said.text);
  return errand ? begin(errands, errand, said, context) : pass(errands);
}

/** The first wish is gone on with; the second waits, and that is said. */
function oneByOne(
  errands: Errands,
  { errand, later, title }: Wishes,
  goes: (waiting: Errands) => Step,
  { words }: DialogueContext,
): Step {
  const gone = goes({ ...errands, later: [...errands.later, later].slice(-MOST_LATER) });
  if (gone.move.do !== 'say') return gone;
  const told = fillIn(words.sayings.oneByOne, { first: errand.title, second: title });
  return { ...gone, move: { do: 'say', text: join(told, gone.move.text) } };
}

function begin(
  errands: Errands,
  errand: NamedErrand,
  said: Said,
  context: DialogueContext,
  ended: Step['ended'] = [],
): Step {
  const run = newRun(errands.lastRun + 1, errand, 'caller', context);
  const begun = { ...errands, lastRun: run.run, current: run };
  const named = context.book.namedBy(
    errand,
    said.tokens.map(({ word }) => word),
  );
  const tagged = fillFrom(run, errand, named, context).run;
  const { found } = extract(errand.slots, said.tokens, extracting(tagged, context));
  const filling = fill(tagged, errand, found, said.tokens, context);
  const next = follow(begun, { ...filling, changed: [] }, context);
  return { ...next, ended: [...ended, ...next.ended] };
}

/** Another errand in between: the first one waits. Of two that wait the older is left. */
function park(
  errands: Errands,
  current: Run,
  other: NamedErrand,
  said: Said,
  context: DialogueContext,
): Step {
  const left = errands.parked ? [{ run: errands.parked, ending: 'cancelled' as const }] : [];
  return begin({ ...errands, current: null, parked: current }, other, said, context, left);
}

function whileDoing(
  errands: Errands,
  run: Run,
  control: string | null,
  said: Said,
  context: DialogueContext,
): Step {
  const { sayings } = context.words;
  if (control === 'cancel') {
    if (errandOf(context, run).mayStop) return step(errands, { do: 'stop', run });
    return step(errands, { do: 'say', text: sayings.tooLate });
  }
  if (control === 'recall' || context.book.begunBy(said.text))
    return step(errands, { do: 'say', text: sayings.underWay });
  return pass(errands);
}

function obey(errands: Errands, run: Run, control: string, context: DialogueContext): Step {
  const errand = errandOf(context, run);
  const { sayings } = context.words;
  switch (control) {
    case 'cancel':
      return leave(errands, run, context);
    case 'restart': {
      const fresh = newRun(run.run, errand, run.by, context);
      return follow(
        { ...errands, current: fresh },
        { run: fresh, changed: [], fresh: [], problem: null },
        context,
      );
    }
    case 'recall':
      return step(errands, { do: 'say', text: join(recallOf(run, errand, context.words), run.question) });
    case 'abilities':
      return step(errands, {
        do: 'say',
        text: join(abilitiesOf(context.book.errands, context.words), run.question),
      });
    default:
      if (context.person) return handOver(errands, run, '');
      return step(errands, { do: 'say', text: join(sayings.notPossible, run.question) });
  }
}

/** It is left, and that is said; one that waited is offered again. */
function leave(errands: Errands, run: Run, context: DialogueContext): Step {
  const left = { ...errands, current: null };
  return takeUp(left, [{ run, ending: 'cancelled' }], context.words.sayings.cancelled, context);
}

function handOver(errands: Errands, run: Run, text: string): Step {
  return step({ ...errands, current: null }, { do: 'hand over', run, text }, [
    { run, ending: 'handed over' },
  ]);
}

/** An errand is over: one that waited goes on, if the caller likes. */
function takeUp(errands: Errands, ended: Step['ended'], text: string, context: DialogueContext): Step {
  const { parked } = errands;
  if (!parked) return step(errands, { do: 'say', text }, ended);
  const question = fillIn(context.words.sayings.takeUp, { title: errandOf(context, parked).title });
  const current = { ...parked, stage: 'taking up' as const, misses: 0, question };
  return step({ ...errands, parked: null, current }, { do: 'say', text: join(text, question) }, ended);
}

/** The caller answers, corrects, confirms, or asks something else. */
function goOn(errands: Errands, run: Run, said: Said, context: DialogueContext): Step {
  const errand = errandOf(context, run);
  const words = said.tokens.map(({ word }) => word);
  const assent = context.words.assent(words);
  const asked = run.asking === null ? undefined : errand.slots[run.asking];
  if (run.stage === 'asking' && asked?.kind === 'yes-no' && assent !== null)
    return answeredYesNo(errands, run, said, assent, context);
  if (assent !== null && assent.count >= words.length) {
    if (run.stage !== 'asking') return assented(errands, run, assent.is, context);
    if (run.asking === null && assent.is === 'no') return readBack(errands, run, context);
  }
  const added = run.stage === 'reading back' ? addTo(run, errand, said.tokens, context) : null;
  if (added) return follow(errands, added, context);
  const { found, corrects } = extract(errand.slots, said.tokens, extracting(run, context));
  const filling = fill(run, errand, found, said.tokens, context);
  const tells = filling.changed.length + filling.fresh.length > 0 || filling.problem !== null;
  const isQuestion = context.words.isQuestion(words) && !corrects && !(asked && takesAnyWords(asked));
  if (isQuestion) return step(errands, { do: 'answer', then: run.question });
  if (tells || found.length > 0) return follow(errands, filling, context);
  return missed(errands, run, said, assent, context);
}

/** A yes or no for the slot that is asked for, and what else was said with it. */
function answeredYesNo(
  errands: Errands,
  run: Run,
  { text, tokens }: Said,
  { is, count }: { is: 'yes' | 'no'; count: number },
  context: DialogueContext,
): Step {
  const errand = errandOf(context, run);
  const found = { slot: run.asking!, value: is === 'yes', said: text, from: 0, to: count };
  const rest = extract(errand.slots, tokens.slice(count), { ...extracting(run, context), asked: null });
  const more = rest.found.filter(({ slot }) => slot !== run.asking);
  return follow(errands, fill(run, errand, [found, ...more], tokens, context), context);
}

function assented(errands: Errands, run: Run, is: 'yes' | 'no', context: DialogueContext): Step {
  const { sayings } = context.words;
  if (run.stage === 'reading back') {
    if (is === 'yes') return act(errands, run, context);
    const current = {
      ...run,
      stage: 'asking' as const,
      asking: null,
      misses: 0,
      question: sayings.whatChange,
    };
    return step({ ...errands, current }, { do: 'say', text: sayings.whatChange });
  }
  if (run.stage === 'offering') {
    if (is === 'yes') return context.person ? handOver(errands, run, '') : leave(errands, run, context);
    return next(errands, { ...run, misses: 0 }, '', context);
  }
  if (is === 'no') return leave(errands, run, context);
  return next(errands, { ...run, misses: 0 }, '', context);
}

/** Slots were filled: what is impossible is said; else the next thing is asked. A changed value is said. */
export function follow(errands: Errands, { run, changed, problem }: Filling, context: DialogueContext): Step {
  const errand = errandOf(context, run);
  if (problem) {
    const current = { ...run, stage: 'asking' as const, asking: problem.slot, misses: 0 };
    const isChoice = problem.text.endsWith('?');
    const question = isChoice ? problem.text : (errand.slots[problem.slot]!.ask ?? '');
    const text = isChoice ? problem.text : join(problem.text, question);
    return step({ ...errands, current: { ...current, question } }, { do: 'say', text });
  }
  const texts = changed.map((slot) => run.slots[slot]!.text);
  const told =
    texts.length === 0
      ? ''
      : fillIn(context.words.sayings.changed, { value: context.words.values.sayList(texts, 'and') });
  return next(errands, { ...run, misses: 0 }, told, context);
}

/** Asks for what is missing; then reads back; then it is done. @param first what is said before */
function next(errands: Errands, run: Run, first: string, context: DialogueContext): Step {
  const errand = errandOf(context, run);
  const missing = Object.entries(errand.slots).find(
    ([name, slot]) => slot.optional !== true && !Object.hasOwn(run.slots, name),
  );
  if (missing) {
    const [asking, slot] = missing;
    const question = fillIn(slot.ask ?? '', slotTexts(run));
    const current = { ...run, stage: 'asking' as const, asking, question };
    return step({ ...errands, current }, { do: 'say', text: join(first, question) });
  }
  if (errand.readBack === false) return act(errands, run, context);
  const isUnsure = Object.values(run.slots).some(({ confidence }) => (confidence ?? 1) < SURE);
  if (errand.readBack === READ_BACK_WHEN_UNSURE && !isUnsure) return act(errands, run, context);
  return readBack(errands, run, context);
}

export function readBack(errands: Errands, run: Run, context: DialogueContext): Step {
  const question = readBackOf(run, errandOf(context, run), context.words);
  const current = { ...run, stage: 'reading back' as const, asking: null, question };
  return step({ ...errands, current }, { do: 'say', text: question });
}

function act(errands: Errands, run: Run, context: DialogueContext): Step {
  const errand = errandOf(context, run);
  if (errand.handsOver) return handOver(errands, run, fillIn(errand.says?.done ?? '', slotTexts(run)));
  const doing = { ...run, stage: 'doing' as const, asking: null, question: '' };
  return step({ ...errands, current: doing }, { do: 'act', run: doing });
}

/** The question was not understood: it is put more simply, and at last it is offered to leave it. */
function missed(
  errands: Errands,
  run: Run,
  said: Said,
  assent: { is: string } | null,
  context: DialogueContext,
): Step {
  const { sayings } = context.words;
  const slot = run.asking === null ? undefined : errandOf(context, run).slots[run.asking];
  const misses = run.misses + 1;
  if (misses >= MOST_MISSES) {
    const question = context.person ? sayings.orPerson : sayings.leaveIt;
    return step(
      { ...errands, current: { ...run, stage: 'offering', misses, question } },
      { do: 'say', text: question },
    );
  }
  const isName =
    slot !== undefined &&
    kindOf(slot).isListed === true &&
    assent === null &&
    said.tokens.length <= MOST_UNKNOWN_WORDS;
  const lead = isName ? unknownText(slot, said.text.replace(/[.?!]+$/, ''), context) : sayings.notUnderstood;
  const question = fillIn(
    (misses > 1 ? slot?.again : undefined) ?? slot?.ask ?? run.question,
    slotTexts(run),
  );
  return step(
    { ...errands, current: { ...run, misses, question } },
    { do: 'say', text: join(lead, question) },
  );
}

function readOn(errands: Errands, context: DialogueContext): Step {
  const most = Math.max(...context.book.errands.map(({ wordsAtOnce }) => wordsAtOnce ?? 0), 1);
  const { text, more } = firstPart(errands.more, most);
  return step({ ...errands, more }, { do: 'say', text });
}

/** What was to be done is done, or not. */
export function settleErrand(errands: Errands, outcome: RunOutcome, context: DialogueContext): Step {
  const run = errands.current;
  if (run?.stage !== 'doing') return pass(errands);
  const errand = context.book.get(run.errand);
  const over = { ...errands, current: null };
  const ended = [{ run, ending: outcome.ending }];
  if (!errand) return step(over, { do: 'pass' }, ended);
  const { text, more } = outcomeText(run, errand, outcome, context.words);
  const again = outcome.asks === undefined ? undefined : errand.slots[outcome.asks];
  if (again && outcome.ending === 'failed') {
    // Another value may do: the rest of what was said is kept.
    const slots = Object.fromEntries(Object.entries(run.slots).filter(([name]) => name !== outcome.asks));
    const fresh: Run = { ...run, run: errands.lastRun + 1, slots, stage: 'asking', misses: 0 };
    const following = next({ ...over, lastRun: fresh.run }, fresh, text, context);
    return { ...following, ended };
  }
  return takeUp({ ...over, more }, ended, text, context);
}
