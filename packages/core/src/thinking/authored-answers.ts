/**
 * Answers that a developer wrote: patterns, what is said to them, and what may follow. Which answer fits is
 * worked out from the conversation so far, without a memory of its own: the same conversation always gets the
 * same answer.
 */
import { Fault } from '../common/faults.js';
import type { Slots, Templates } from '../language/template.js';
import { compilePattern, filledSlot, patternTemplates, type Pattern } from './pattern.js';
import type { Entry } from './history.js';

/** A slot in a reply: `{hut}`, or `{hut|the huts}` with words for when the slot was not said. */
const SLOT = /\{([^}|]*)(?:\|([^}]*))?\}/g;

/** As the file says it; see protocol's `AnswersFile`. */
export interface AuthoredAnswer {
  name?: string | undefined;
  when: readonly string[];
  say?: readonly string[] | undefined;
  /** What the named answer says is said here too. */
  like?: string | undefined;
  /** A model is asked instead. */
  pass?: boolean | undefined;
  /** Tried first in the turn after this one. */
  then?: readonly AuthoredAnswer[] | undefined;
}

export interface AuthoredAnswers {
  /** BCP 47, of the patterns. */
  language?: string | undefined;
  slots?: Slots | undefined;
  answers: readonly AuthoredAnswer[];
  /** When nothing fits: one of these sentences, or a model. */
  otherwise: readonly string[] | 'pass';
}

export type Outcome = { kind: 'say'; text: string } | { kind: 'pass' };

interface Compiled {
  patterns: readonly Pattern[];
  replies: readonly string[] | null;
  then: Compiled[];
}

interface Match {
  answer: Compiled;
  values: Record<string, string>;
  score: number;
}

export class AnswerBook {
  private readonly answers: Compiled[];
  private readonly otherwise: readonly string[] | 'pass';

  /**
   * @throws Fault `answers-broken`; its `path` is a JSON Pointer to what is wrong: a loop, a missing slot,
   * two equal patterns
   */
  constructor(private readonly book: AuthoredAnswers) {
    const compiler = new Compiler(book);
    this.answers = compiler.all();
    this.otherwise = book.otherwise;
  }

  /** What is answered is what callers are likely to say. */
  get expected(): { phrases: string[]; slots: Slots } {
    const all = (answers: readonly AuthoredAnswer[]): string[] =>
      answers.flatMap(({ when, then = [] }) => [...when, ...all(then)]);
    // Where anything may be said, nothing is expected.
    const phrases = all(this.book.answers).map((pattern) => pattern.replace(/\.\.\.|…/g, ' ').trim());
    return {
      phrases: [...new Set(phrases)].filter((phrase) => /[\p{L}\p{N}]/u.test(phrase)),
      slots: this.book.slots ?? {},
    };
  }

  /** Does any answer ask for a model? */
  get passes(): boolean {
    const asks = (answers: readonly Compiled[]): boolean =>
      answers.some(({ replies, then }) => replies === null || asks(then));
    return this.otherwise === 'pass' || asks(this.answers);
  }

  /** All patterns, and where the first words of a talk are looked for in order. */
  get first(): readonly { patterns: readonly Pattern[] }[] {
    return this.answers;
  }

  /** What is answered to the last entry of a conversation. `seed` chooses among several replies. */
  answer(messages: readonly Entry[], seed: number): Outcome {
    let last = null as Compiled | null;
    let outcome: Outcome = { kind: 'pass' };
    /** What slots hold: it is kept over follow-ups, until the subject changes. */
    let kept: Record<string, string> = {};
    const said = new Map<readonly string[], number>();
    let turns = 0;
    for (const { role, text } of messages) {
      if (role !== 'caller') continue;
      const follows: Match | null = last ? this.best(last.then, text) : null;
      const found: Match | null = follows ?? this.best(this.answers, text);
      kept = { ...(follows ? kept : {}), ...found?.values };
      // A follow-up that leads nowhere further leaves its own question open: "and at Rowan Hut?", "and at
      // Saddle Hut?"
      last = found
        ? found.answer.then.length > 0 || !last?.then.includes(found.answer)
          ? found.answer
          : last
        : null;
      const replies: readonly string[] | null = found
        ? found.answer.replies
        : this.otherwise === 'pass'
          ? null
          : this.otherwise;
      outcome = replies ? { kind: 'say', text: choose(replies, kept, seed + turns, said) } : { kind: 'pass' };
      turns++;
    }
    return outcome;
  }

  private best(answers: readonly Compiled[], text: string): Match | null {
    let best: Match | null = null;
    for (const answer of answers) {
      for (const pattern of answer.patterns) {
        const found = pattern.match(text);
        if (found && (!best || found.score > best.score)) best = { answer, ...found };
      }
    }
    return best;
  }
}

/** One of the replies whose slots are filled; never the same twice in a row where there is another. */
function choose(
  replies: readonly string[],
  values: Record<string, string>,
  seed: number,
  said: Map<readonly string[], number>,
): string {
  const usable = replies
    .map((_, i) => i)
    .filter((i) =>
      slotsOf(replies[i]!).every(
        ({ name, otherwise }) => filledSlot(values, name) !== undefined || otherwise !== null,
      ),
    );
  const before = said.get(replies);
  const fresh = usable.filter((i) => i !== before);
  const among = fresh.length > 0 ? fresh : usable;
  const chosen = among[Math.abs(Math.imul(seed + 1, 2654435761) >> 8) % among.length]!;
  said.set(replies, chosen);
  const text = replies[chosen]!.replace(
    SLOT,
    (_, name: string, otherwise?: string) => filledSlot(values, name) ?? otherwise ?? '',
  );
  // A slot may stand where a sentence begins.
  return text.replace(/(?:^|[.!?]\s+)\p{Ll}/gu, (first) => first.toUpperCase());
}

function slotsOf(reply: string): { name: string; otherwise: string | null }[] {
  return [...reply.matchAll(SLOT)].map(([, name = '', otherwise]) => ({
    name,
    otherwise: otherwise ?? null,
  }));
}

class Compiler {
  private readonly named = new Map<string, AuthoredAnswer>();
  private readonly templates: Templates;
  private readonly language: string;

  constructor(private readonly book: AuthoredAnswers) {
    this.language = book.language ?? 'en';
    this.templates = patternTemplates(book.slots ?? {}, this.language);
    this.name(book.answers, '/answers');
  }

  all(): Compiled[] {
    return this.compile(this.book.answers, '/answers', []);
  }

  private fail(path: string, detail: string): never {
    throw new Fault('answers-broken', detail, path);
  }

  private name(answers: readonly AuthoredAnswer[], path: string): void {
    answers.forEach((answer, i) => {
      if (answer.name !== undefined) {
        if (this.named.has(answer.name))
          this.fail(`${path}/${i}/name`, `two answers have the name "${answer.name}"`);
        this.named.set(answer.name, answer);
      }
      this.name(answer.then ?? [], `${path}/${i}/then`);
    });
  }

  /** @param before patterns of the answers that these follow: what they hold is kept */
  private compile(
    answers: readonly AuthoredAnswer[],
    path: string,
    before: readonly (readonly Pattern[])[],
  ): Compiled[] {
    const seen = new Map<string, string>();
    return answers.map((answer, i) => {
      const here = `${path}/${i}`;
      const patterns = answer.when.map((template, k) => {
        const place = `${here}/when/${k}`;
        const pattern = this.pattern(template, place, before.length === 0);
        const twin = seen.get(pattern.key);
        if (twin !== undefined)
          this.fail(
            place,
            `the pattern "${template}" stands here twice, also as "${twin}": only one of them could ever answer`,
          );
        seen.set(pattern.key, template);
        return pattern;
      });
      const replies = this.replies(answer, here);
      if (replies) this.checkSlots(patterns, answer, replies, here, before);
      const then = this.compile(answer.then ?? [], `${here}/then`, [...before, patterns]);
      return { patterns, replies, then };
    });
  }

  /** @param isFirst it does not follow another answer, where any words may be what was asked for */
  private pattern(template: string, path: string, isFirst: boolean): Pattern {
    let pattern: Pattern;
    try {
      pattern = compilePattern(template, this.templates, this.language);
    } catch (error) {
      if (error instanceof Fault) this.fail(path, error.detail);
      throw error;
    }
    if (pattern.fitsNothing)
      this.fail(
        path,
        `"${template}" fits an empty saying: all of it may be left out. Write a word that must be said`,
      );
    if (pattern.fitsAll && isFirst)
      this.fail(
        path,
        `"${template}" fits whatever is said: write a word that must be said, or give its answer under "otherwise"`,
      );
    if (pattern.twice !== null)
      this.fail(
        path,
        `"${template}" names the slot <${pattern.twice}> twice, and only the last would be kept: give one of them another name`,
      );
    return pattern;
  }

  /** What is said, followed through `like`. */
  private replies(answer: AuthoredAnswer, path: string): readonly string[] | null {
    const passed: string[] = [];
    let one = answer;
    while (one.like !== undefined) {
      if (passed.includes(one.like))
        this.fail(`${path}/like`, `it goes round in a loop: ${[...passed, one.like].join(' → ')}`);
      passed.push(one.like);
      const next = this.named.get(one.like);
      if (!next) this.fail(`${path}/like`, `no answer has the name "${one.like}"`);
      one = next;
    }
    const ways = [one.say !== undefined, one.pass === true].filter(Boolean).length;
    if (ways !== 1) this.fail(path, 'an answer has exactly one of "say", "like" and "pass: true"');
    return one.say ?? null;
  }

  /** Whatever of its patterns fits, there must be a reply whose slots are filled. */
  private checkSlots(
    patterns: Pattern[],
    answer: AuthoredAnswer,
    replies: readonly string[],
    path: string,
    before: readonly (readonly Pattern[])[],
  ): void {
    const mayHold = new Set(before.flat().flatMap(({ possible }) => [...possible]));
    const holds = (name: string) => before.some((row) => row.every(({ certain }) => certain.has(name)));
    for (const reply of replies) {
      for (const { name, otherwise } of slotsOf(reply)) {
        if (otherwise === null && !mayHold.has(name) && !patterns.some(({ possible }) => possible.has(name)))
          this.fail(
            `${path}/${answer.say ? 'say' : 'like'}`,
            `"${reply}" uses {${name}}, which none of its patterns can fill`,
          );
      }
    }
    patterns.forEach((pattern, k) => {
      const always = replies.some((reply) =>
        slotsOf(reply).every(
          ({ name, otherwise }) => otherwise !== null || pattern.certain.has(name) || holds(name),
        ),
      );
      if (!always)
        this.fail(
          `${path}/when/${k}`,
          `when "${answer.when[k]}" fits, a slot that every reply needs may be missing; write {slot|other words} in one of them`,
        );
    });
  }
}
