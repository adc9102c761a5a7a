/** A service whose assistant lives in two stand-in clouds, and single turns with it as fast as it can. */
import { cpSync, mkdtempSync, readFileSync, rmSync, mkdirSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PhraseStore, serve, type Service } from '@verbalon/service';
import { pino } from 'pino';

const demo = fileURLToPath(new URL('../../../demo', import.meta.url));
const standins = fileURLToPath(new URL('../../../standins/dist', import.meta.url));

export interface Clouds {
  service: Service;
  panel(name: string, method: 'POST' | 'DELETE', body?: object): Promise<void>;
  seen(name: string): Promise<{
    requests: Record<'stt' | 'llm' | 'tts', number>;
    cancelled: Record<'stt' | 'llm' | 'tts', number>;
  }>;
  end(): Promise<void>;
}

/** @param file changes of the assistant's file; `more` files of engines */
export async function clouds(
  file: (yaml: string) => string = (yaml) => yaml,
  options: { alder?: string[]; birch?: string[]; engines?: Record<string, (yaml: string) => string> } = {},
): Promise<Clouds> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-bench-'));
  const project = join(folder, 'project');
  mkdirSync(join(project, 'assistants'), { recursive: true });
  for (const name of ['answers', 'knowledge', 'recordings'])
    cpSync(join(demo, name), join(project, name), { recursive: true });
  cpSync(join(demo, 'engines'), join(project, 'engines'), { recursive: true });
  for (const [name, change] of Object.entries(options.engines ?? {})) {
    const path = join(project, 'engines', `${name}.yaml`);
    writeFileSync(path, change(readFileSync(path, 'utf8')));
  }
  const yaml = readFileSync(join(demo, 'assistants/clouds.yaml'), 'utf8')
    .replace(/^greeting: .*\n/m, '')
    .replace(/^budget: .*\n/m, '');
  writeFileSync(join(project, 'assistants/clouds.yaml'), file(yaml));
  const known = ['--knowledge', 'knowledge/huts.yaml', '--recordings', 'recordings'];
  const standin = (name: string, args: string[], key?: string) =>
    `  - { name: ${name}, start: ${JSON.stringify([join(standins, name, 'main.js'), ...args])}${key ? `, key: ${key}` : ''} }\n`;
  writeFileSync(
    join(project, 'project.yaml'),
    `title: bench\nassistant: clouds\nstandins:\n` +
      standin('thinker', ['--knowledge', 'knowledge/huts.yaml', '--seed', '11']) +
      standin('alder', [...known, '--seed', '12', ...(options.alder ?? [])], 'ALDER_KEY') +
      standin('birch', [...known, '--seed', '13', ...(options.birch ?? [])], 'BIRCH_KEY'),
  );
  const service = await serve({
    projectFolder: project,
    dataFolder: join(folder, 'data'),
    port: 0,
    log: pino({ level: 'silent' }),
    // Every phrase is to be synthesised.
    phrases: new PhraseStore(0),
  });
  while (!(await fetch(`${service.address}/readyz`)).ok) await new Promise((done) => setTimeout(done, 50));
  const at = (name: string) => service.pids().standins[name]!.address;
  return {
    service,
    panel: async (name, method, body) => {
      await fetch(`${at(name)}/faults`, { method, ...(body ? { body: JSON.stringify(body) } : {}) });
    },
    seen: async (name) => (await (await fetch(`${at(name)}/seen`)).json()) as never,
    end: async () => {
      await service.stop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
