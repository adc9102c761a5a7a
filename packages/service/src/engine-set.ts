/** The engines of a project: opened at the start, warmed, looked up by name. */
import type { Logger } from 'pino';
import {
  openEngine,
  type AnyEngine,
  type LlmEngine,
  type SttEngine,
  type Surroundings,
} from '@verbalon/engines';
import type { EngineSummary, LineupEntry, VoiceSummary } from '@verbalon/protocol';
import { ProblemError } from './problems.js';
import type { Assistant, Project } from './project/project.js';
import type { Lineup } from './talk/talk.js';

export class EngineSet {
  constructor(
    private readonly engines: ReadonlyMap<string, AnyEngine>,
    private readonly log: Logger,
  ) {}

  /** Opens the engines that an assistant uses, and those that these pass questions on to. */
  static open(
    project: Project,
    around: Pick<Surroundings, 'workFolder' | 'standins'>,
    log: Logger,
  ): EngineSet {
    const used = new Set(project.list().flatMap(({ file }) => Object.values(file.lineup)));
    for (const name of [...used]) {
      const file = project.engines.get(name);
      if (file?.wire === 'answers' && file.passTo !== undefined) used.add(file.passTo);
    }
    const engines = new Map<string, AnyEngine>();
    const surroundings: Surroundings = {
      ...around,
      answers: (name) => project.answers(name),
      model: (name) => engines.get(name) as LlmEngine,
    };
    for (const [name, file] of project.engines)
      if (used.has(name)) engines.set(name, openEngine(name, file, surroundings));
    return new EngineSet(engines, log);
  }

  /** Gets the assistant's ears ready for its expected phrases; names without a pronunciation are said as the voice says them. */
  async prepare({ name, profile, file }: Assistant): Promise<void> {
    const { stt, tts } = this.lineupOf(file.lineup);
    if (!profile) return;
    const names = [...new Set(profile.sentences.flat())].filter((word) => !(word in profile.pronunciations));
    const guessed = await tts.pronounce(names).catch(() => ({}));
    const pronunciations = { ...guessed, ...profile.pronunciations };
    const unknown = await (stt as SttEngine).prepare({ ...profile, pronunciations });
    if (unknown.length > 0)
      this.log.warn({ assistant: name, unknown }, 'expected words that cannot be heard: write them out');
  }

  warm(name: string): Promise<void> {
    return this.engines.get(name)?.warm() ?? Promise.resolve();
  }

  lineupOf(lineup: Assistant['file']['lineup']): Lineup {
    const of = <R extends AnyEngine['role']>(role: R) => {
      const engine = this.engines.get(lineup[role]);
      if (engine?.role !== role) throw new ProblemError('engine-unknown', `${role}: ${lineup[role]}`);
      return engine as Extract<AnyEngine, { role: R }>;
    };
    return { stt: of('stt'), llm: of('llm'), tts: of('tts') };
  }

  states(lineup: Assistant['file']['lineup']): LineupEntry[] {
    return Object.values(this.lineupOf(lineup)).map((engine: AnyEngine) => ({
      role: engine.role,
      engine: engine.name,
      where: engine.where,
      ...engine.readiness(),
    }));
  }

  list(): EngineSummary[] {
    return [...this.engines.values()].map((engine) => ({
      name: engine.name,
      title: engine.title,
      role: engine.role,
      where: engine.where,
      languages: [...engine.languages],
      ...engine.readiness(),
    }));
  }

  voices(assistants: readonly Assistant[]): VoiceSummary[] {
    return [...this.engines.values()].flatMap((engine) => {
      if (engine.role !== 'tts') return [];
      const speakers = assistants.filter(({ file }) => file.lineup.tts === engine.name);
      return engine.voices.map((name) => ({
        engine: engine.name,
        name,
        languages: [...engine.languages],
        usedBy: speakers
          .filter(({ file }) => (file.voice?.name ?? engine.voices[0]) === name)
          .map((one) => one.name),
      }));
    });
  }

  async close(): Promise<void> {
    await Promise.all([...this.engines.values()].map((engine) => engine.close()));
  }
}
