/** A real service with a telephone, and telephones of our own that ring it. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { joinPcm16, levelDb, readWav, Resampler, toFloats, toPcm16 } from '@verbalon/core';
import { TestPhone, type Options } from '@verbalon/hostile';
import type { PhoneCallView } from '@verbalon/protocol';
import { lightProject } from './light-project.js';
import { demoCopy, startService, until, type RunningService } from './service.js';

export const stages = (call: PhoneCallView) => call.stages.map(({ stage }) => stage);
export const isOver = (call: PhoneCallView) => stages(call).at(-1) === 'ended';
export const isLoud = (samples: Int16Array) => levelDb(toFloats(samples)) > -45;

/** A word of a voice of tones is as long as one that is spoken, in ms. */
const WORD_MS = 250;

export interface Phoned {
  /** What callers say is understood: the demo's own ears, voices and clouds, which take long to start. */
  hears?: boolean;
  /** Where nothing is understood: stand-ins to start all the same. */
  standins?: readonly string[];
  /** More lines of `phone:`. */
  phone: string;
  /** Other lines of project.yaml. */
  rest?: string;
  /** Lines of `messages:`. */
  ways?: string;
  env?: Record<string, string>;
  /** Other files of the project, by their paths. */
  files?: Record<string, string>;
}

/** The demo project with a telephone at ports of its own. */
export async function phonedProject({
  hears = false,
  standins = [],
  phone,
  rest = '',
  ways = '',
  files = {},
}: Phoned): Promise<string> {
  const assistants = { tansy: null, porch: null };
  const project = hears ? demoCopy() : await lightProject({ standins, assistants, wordMs: WORD_MS });
  const path = join(project, 'project.yaml');
  const text = readFileSync(path, 'utf8')
    .replace(/^phone:\n(?: .*\n)*/m, `phone:\n  port: 0\n  sound: { from: 21000, to: 21199 }\n${phone}`)
    .replace('messages:\n', `messages:\n${ways}`)
    .replace(/^handOver:.*\n(?: .*\n)*/m, '');
  writeFileSync(path, text + rest);
  for (const [name, content] of Object.entries(files)) writeFileSync(join(project, name), content);
  return project;
}

export class PhonedService {
  private phones: TestPhone[] = [];

  private constructor(
    readonly service: RunningService,
    /** `ADDRESS:PORT` of its telephone. */
    readonly at: string,
  ) {}

  static async start(phoned: Phoned): Promise<PhonedService> {
    const service = await startService(await phonedProject(phoned), undefined, phoned.env);
    return new PhonedService(service, (await service.http.telephone.view()).address!.replace('sip:', ''));
  }

  get http() {
    return this.service.http;
  }

  async phone(options?: Options): Promise<TestPhone> {
    const opened = await TestPhone.open(options);
    this.phones.push(opened);
    return opened;
  }

  /** A telephone whose call was answered. */
  async connected(options?: Options, number = '100'): Promise<TestPhone> {
    const opened = await this.phone(options);
    opened.ring(`sip:${number}@${this.at}`);
    await until(
      () => opened.last('INVITE', 200) !== undefined,
      () => JSON.stringify(opened.came.map(({ status, method }) => [status, method])),
    );
    return opened;
  }

  /**
   * A caller who has asked for a person, and named Heron Hut by its number: on a narrow line a name may be
   * misheard.
   */
  async asksForPerson(): Promise<{ caller: TestPhone; talk: string }> {
    const caller = await this.connected();
    const talk = (await this.newest()).conversation!;
    await until(async () => (await this.reports(talk)).length > 0);
    caller.press('0');
    await until(async () => (await this.reports(talk)).length > 1);
    caller.press('1');
    return { caller, talk };
  }

  async newest(): Promise<PhoneCallView> {
    return (await this.http.telephone.view()).calls[0]!;
  }

  /** What was said in a talk so far, turn by turn. */
  async reports(id: string) {
    return (await this.http.journal(id)).flatMap((entry) =>
      entry.kind === 'tell' && (entry.body as { message: { kind: string } }).message.kind === 'turn'
        ? [
            (
              entry.body as {
                message: { report: { source: string; text: string; heard: string; by?: string } };
              }
            ).message.report,
          ]
        : [],
    );
  }

  /** As a walker's voice, at the rate of a telephone. */
  async spoken(text: string): Promise<Int16Array> {
    const { channels, rateHz } = readWav((await this.http.aloud({ text, assistant: 'tansy' })).wav);
    const samples = toPcm16(new Resampler(rateHz, 8_000).push(channels[0]!));
    return joinPcm16([new Int16Array(2_400), samples, new Int16Array(8_000)]);
  }

  /** All telephones are put away, and all calls are over. */
  async quiet(): Promise<void> {
    for (const phone of this.phones) phone.close();
    this.phones = [];
    const { calls } = await this.http.telephone.view();
    for (const { id } of calls.filter((call) => !isOver(call))) await this.http.telephone.hangUp(id);
  }
}
