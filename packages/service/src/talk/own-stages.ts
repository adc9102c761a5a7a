/**
 * A developer's own code between the stages (docs/own-stages.md): an HTTP endpoint or a module of the project that may rewrite or
 * veto the words heard, the messages to the model, and the text to be spoken. When it is late or fails, the talk goes on without it.
 */
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Entry, HeardWord } from '@verbalon/core';
import type { AssistantFile } from '@verbalon/protocol';
import type { Logger } from 'pino';

const USUAL_DEADLINE_MS = 300;

type Stages = NonNullable<AssistantFile['stages']>;
type StageName = keyof Stages;
/** What a stage is given and may give back; `veto` drops it. */
interface Passed {
  words?: HeardWord[];
  messages?: Entry[];
  text?: string;
  veto?: boolean;
}
type Module = Partial<Record<StageName, (passed: Passed) => Passed | Promise<Passed> | undefined>>;

export class OwnStages {
  constructor(
    private readonly talk: string,
    private readonly stages: Stages,
    private readonly folder: string,
    private readonly log: Logger,
  ) {}

  async heard(words: HeardWord[]): Promise<HeardWord[]> {
    const given = await this.pass('heard', { words });
    if (given?.veto) return [];
    const valid = given?.words?.every(
      ({ word, fromMs, toMs }) => typeof word === 'string' && fromMs >= 0 && toMs >= fromMs,
    );
    return valid ? given!.words! : words;
  }

  async asked(messages: Entry[]): Promise<Entry[]> {
    const given = await this.pass('asked', { messages });
    const valid = given?.messages?.every(
      ({ role, text }) => (role === 'caller' || role === 'assistant') && typeof text === 'string',
    );
    return valid ? given!.messages! : messages;
  }

  /** An empty text is not spoken. */
  async spoken(text: string): Promise<string> {
    const given = await this.pass('spoken', { text });
    if (given?.veto) return '';
    return typeof given?.text === 'string' ? given.text : text;
  }

  /** What the stage gives back; null where there is none, it fails, or it is late. */
  private async pass(name: StageName, passed: Passed): Promise<Passed | null> {
    const stage = this.stages[name];
    if (!stage) return null;
    const deadlineMs = stage.deadlineMs ?? USUAL_DEADLINE_MS;
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<never>((_, reject) => {
      timer = setTimeout(() => reject(new Error(`it took longer than ${deadlineMs} ms`)), deadlineMs);
    });
    try {
      const given = await Promise.race([this.ask(name, stage.at, passed, deadlineMs), late]);
      return given && typeof given === 'object' ? given : null;
    } catch (error) {
      this.log.warn({ talk: this.talk, stage: name, at: stage.at, why: (error as Error).message }, 'the talk goes on without its own stage'); // prettier-ignore
      return null;
    } finally {
      clearTimeout(timer);
    }
  }

  private async ask(
    name: StageName,
    at: string,
    passed: Passed,
    deadlineMs: number,
  ): Promise<Passed | undefined> {
    if (!/^https?:/.test(at)) {
      const module = (await import(pathToFileURL(resolve(this.folder, at)).href)) as Module;
      const stage = module[name];
      if (!stage) throw new Error(`${at} exports no function "${name}"`);
      return stage(passed);
    }
    const answer = await fetch(at, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ stage: name, talk: this.talk, ...passed }),
      signal: AbortSignal.timeout(deadlineMs),
      redirect: 'error',
    });
    if (!answer.ok) throw new Error(`it answers ${answer.status}`);
    return (await answer.json()) as Passed;
  }
}
