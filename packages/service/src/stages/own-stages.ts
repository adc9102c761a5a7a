/**
 * A developer's own code between the stages (docs/own-stages.md): an HTTP endpoint, a module of the project,
 * or the caller's page. It may rewrite or veto the words heard, the messages to the model, and the text to be
 * spoken. When it is late or fails, the talk goes on without it.
 */
import type { Entry, HeardWord } from '@verbalon/core';
import { check, Passed, type AssistantFile, type StageName } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { boundedText } from '../common/bounded-text.js';
import { AT_PAGE, isModule } from '../project/cards.js';
import { insideOf } from '../project/inside.js';
import { askOutside, type StayOf } from '../common/ways-out.js';
import type { StageWorkers } from './workers.js';

const USUAL_DEADLINE_MS = 300;
/** What an endpoint answers is not longer, in bytes. */
const MOST_ANSWER_BYTES = 1_000_000;

type Stages = NonNullable<AssistantFile['stages']>;

export interface OwnStagesOptions {
  talk: string;
  stages: Stages;
  /** The project's. */
  folder: string;
  /** Where the words of the assistant may go. */
  stay: StayOf;
  workers: StageWorkers;
  /** The caller's, which may take part. */
  page: { pass(stage: StageName, passed: Passed, deadlineMs: number): Promise<Passed | null> } | null;
  log: Logger;
}

export class OwnStages {
  constructor(private readonly options: OwnStagesOptions) {
    for (const stage of Object.values(options.stages)) {
      const path = stage && isModule(stage.at) ? insideOf(options.folder, stage.at) : null;
      if (path !== null) options.workers.prepare(path);
    }
  }

  async heard(words: HeardWord[]): Promise<HeardWord[]> {
    const given = await this.pass('heard', { words });
    return given?.veto ? [] : (given?.words ?? words);
  }

  async asked(messages: Entry[]): Promise<Entry[]> {
    const given = await this.pass('asked', { messages });
    // What belongs to calls of functions is passed through as it is.
    return (given?.messages as Entry[] | undefined) ?? messages;
  }

  /** An empty text is not spoken. */
  async spoken(text: string): Promise<string> {
    const given = await this.pass('spoken', { text });
    return given?.veto ? '' : (given?.text ?? text);
  }

  /** What the stage gives back; null where there is none, it fails, or it is late. */
  private async pass(name: StageName, passed: Passed): Promise<Passed | null> {
    const { talk, stages, log } = this.options;
    const stage = stages[name];
    if (!stage) return null;
    try {
      const given = await this.ask(name, stage.at, passed, stage.deadlineMs ?? USUAL_DEADLINE_MS);
      if (given === undefined || given === null) return null;
      const checked = check(Passed, given);
      if (!checked.ok) throw new Error(`what it gives back does not fit: ${checked.detail}`);
      return checked.value;
    } catch (error) {
      log.warn(
        { talk, stage: name, at: stage.at, why: (error as Error).message },
        'the talk goes on without its own stage',
      );
      return null;
    }
  }

  private async ask(name: StageName, at: string, passed: Passed, deadlineMs: number): Promise<unknown> {
    const { talk, folder, workers, page } = this.options;
    if (at === AT_PAGE) return page?.pass(name, passed, deadlineMs);
    if (isModule(at)) {
      const path = insideOf(folder, at);
      if (path === null) throw new Error('it is no file of the project folder');
      return workers.call(path, name, passed, deadlineMs);
    }
    const answer = await askOutside(this.options.stay, at, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ stage: name, talk, ...passed }),
      signal: AbortSignal.timeout(deadlineMs),
      redirect: 'error',
    });
    if (!answer.ok) throw new Error(`it answers ${answer.status}`);
    const text = await boundedText(answer, MOST_ANSWER_BYTES);
    if (text === null) throw new Error(`it answers more than ${MOST_ANSWER_BYTES} bytes`);
    return JSON.parse(text);
  }
}
