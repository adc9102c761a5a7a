/** The local recogniser: streams over a pool of decoder hosts; a stream outlives the host it runs on. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { arpaOf, dictionaryWords, joinPcm16, UpperBand } from '@verbalon/core';
import {
  EngineFault,
  type ExpectedAnswers,
  type HearingProfile,
  type SttEngine,
  type SttEvent,
  type SttRequest,
  type SttStream,
} from '../common/contract.js';
import { EventQueue } from '../common/event-queue.js';
import type { EnginePort, Lease } from '../hosts/engine-port.js';
import { HostedEngine, type HostedOptions } from '../hosts/hosted-engine.js';
import type { FromSttHost, ToSttHost } from './messages.js';

/** A segment is played into so many hosts at most, should one after the other die. */
const MOST_HOSTS_A_STREAM = 3;
/** How unlike anything else a phrase must sound: what was measured stands in docs/decisions.md. */
const PHRASE_THRESHOLD = '1e-30';

type Profile = Extract<ToSttHost, { kind: 'profile' }>;
type SttPort = EnginePort<ToSttHost, FromSttHost>;

export interface PocketSphinxOptions extends HostedOptions {
  /** Where language models made from expected phrases are written. */
  workFolder: string;
}

export class PocketSphinxEngine extends HostedEngine<ToSttHost, FromSttHost> implements SttEngine {
  readonly role = 'stt';
  private readonly profiles: Map<string, Profile>;
  private readonly means = new Map<string, Float32Array>();
  private readonly workFolder: string;

  constructor(options: PocketSphinxOptions) {
    const profiles = new Map<string, Profile>();
    super(options, {
      file: new URL('./host.js', import.meta.url),
      first: () => [...profiles.values()],
    });
    this.profiles = profiles;
    this.workFolder = options.workFolder;
  }

  prepare(profile: HearingProfile): Promise<string[]> {
    const vocabulary = new Set(profile.sentences.flat());
    const unknown = [...vocabulary].filter((word) => /\d/.test(word));
    if (this.profiles.has(profile.key)) return Promise.resolve(unknown);
    const { key, weight, pronunciations, sentences, answers = {} } = profile;
    const written = (only: boolean, file: (sentences: ExpectedAnswers['sentences']) => string) =>
      Object.fromEntries(
        Object.entries(answers)
          .filter(([, one]) => one.only === only)
          .map(([name, one]) => [name, file(one.sentences)]),
      );
    const files = {
      expected: this.written(arpaOf(sentences), 'arpa'),
      answers: written(false, (said) => this.written(arpaOf(said), 'arpa')),
      grammars: written(true, (said) => this.written(grammarText(said), 'jsgf')),
    };
    const message: Profile = { kind: 'profile', key, weight, pronunciations, files };
    this.profiles.set(key, message);
    this.port.broadcast(message);
    return Promise.resolve(unknown);
  }

  open(request: SttRequest): SttStream {
    const adapted = {
      get: () => this.means.get(request.talk) ?? null,
      keep: (means: Float32Array) => void this.means.set(request.talk, means),
    };
    return new PooledStream(this.port, request, adapted, this.fileOf(request.phrases));
  }

  private fileOf(phrases: readonly string[] | undefined): string | undefined {
    if (!phrases) return undefined;
    const lines = phrases.map((one) => `${dictionaryWords(one).join(' ')} /${PHRASE_THRESHOLD}/\n`).join('');
    return this.written(lines, 'phrases');
  }

  /** A file for the hosts, named by what it holds. */
  private written(text: string, ending: string): string {
    mkdirSync(this.workFolder, { recursive: true });
    const name = createHash('sha256').update(text).digest('hex').slice(0, 16);
    const file = join(this.workFolder, `${name}.${ending}`);
    if (!existsSync(file)) writeFileSync(file, text);
    return file;
  }

  forget(talk: string): void {
    this.means.delete(talk);
  }
}

/** Nothing but these sentences. */
function grammarText(sentences: ExpectedAnswers['sentences']): string {
  const of = [...new Set(sentences.map((words) => words.join(' ')))];
  return `#JSGF V1.0;\ngrammar answers;\npublic <answer> = ${of.join(' | ')};\n`;
}

interface Adapted {
  get(): Float32Array | null;
  keep(means: Float32Array): void;
}

/** One segment: keeps its sound until the final is there, so that another host can take it over. */
class PooledStream implements SttStream {
  private readonly queue = new EventQueue<SttEvent>();
  private readonly sound: Int16Array[] = [];
  private readonly upper = new UpperBand();
  private finished = false;
  private over = false;
  private hostsUsed = 0;
  private lease: Lease<ToSttHost, FromSttHost> | null = null;
  private readonly onAbort = () => this.drop();

  constructor(
    private readonly port: SttPort,
    private readonly request: SttRequest,
    private readonly adapted: Adapted,
    private readonly phrasesFile: string | undefined,
  ) {
    request.signal.addEventListener('abort', this.onAbort, { once: true });
    void this.takeHost();
  }

  get events(): AsyncIterable<SttEvent> {
    return this.queue;
  }

  push(heard: Int16Array): void {
    if (this.finished || this.over) return;
    this.give(this.request.narrow ? this.upper.fill(heard) : heard);
  }

  private give(samples: Int16Array): void {
    if (samples.length === 0) return;
    this.sound.push(samples);
    this.lease?.send({ kind: 'sound', job: this.lease.job, samples });
  }

  finish(): void {
    if (this.finished || this.over) return;
    if (this.request.narrow) this.give(this.upper.flush());
    this.finished = true;
    this.lease?.send({ kind: 'finish', job: this.lease.job });
  }

  private async takeHost(): Promise<void> {
    if (++this.hostsUsed > MOST_HOSTS_A_STREAM) {
      return this.fail(
        new EngineFault(
          'engine-down',
          `${MOST_HOSTS_A_STREAM} hosts died one after the other over this sound`,
        ),
      );
    }
    try {
      const lease = await this.port.lease();
      if (this.over) return lease.release();
      this.run(lease);
    } catch (fault) {
      this.fail(fault as Error);
    }
  }

  private run(lease: Lease<ToSttHost, FromSttHost>): void {
    this.lease = lease;
    const { job } = lease;
    lease.onMessage = (message) => this.hear(message);
    lease.onDeath = () => {
      this.lease = null;
      if (!this.over) void this.takeHost();
    };
    const { request, phrasesFile, adapted } = this;
    const { expecting } = request;
    lease.send({
      kind: 'start',
      job,
      profile: request.profile?.key ?? null,
      means: adapted.get(),
      ...(phrasesFile === undefined ? {} : { phrasesFile }),
      ...(expecting === undefined ? {} : { expecting }),
    });
    // What another host had heard already is caught up with in one go.
    const before = this.hostsUsed > 1 ? [joinPcm16(this.sound)] : this.sound;
    for (const samples of before) lease.send({ kind: 'sound', job, samples });
    if (this.finished) lease.send({ kind: 'finish', job });
  }

  private hear(message: FromSttHost): void {
    if (this.over || message.job !== this.lease?.job) return;
    if (message.kind === 'partial')
      return this.queue.push({ kind: 'partial', words: message.words, uptoMs: message.uptoMs });
    if (this.phrasesFile === undefined) this.adapted.keep(message.means);
    this.queue.push({ kind: 'final', words: message.words, alternatives: message.alternatives });
    this.queue.end();
    this.letGo();
  }

  private drop(): void {
    if (this.over) return;
    this.lease?.send({ kind: 'drop', job: this.lease.job });
    this.queue.end();
    this.letGo();
  }

  private fail(fault: Error): void {
    this.queue.fail(fault);
    this.letGo();
  }

  private letGo(): void {
    this.over = true;
    // A signal may outlive many segments: it must not hold on to the sound of each.
    this.request.signal.removeEventListener('abort', this.onAbort);
    this.sound.length = 0;
    this.lease?.release();
    this.lease = null;
  }
}
