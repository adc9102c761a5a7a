/**
 * From nothing to a first word: `new`, `serve`, a question; and how soon a card that changed on disk serves.
 */
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { HttpClient } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import { percentile } from '@verbalon/core';

const CHANGES = 20;
const cli = fileURLToPath(new URL('../../../packages/cli/bin/verbalon.mjs', import.meta.url));

export async function beginBench(): Promise<object> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-begin-'));
  const project = join(folder, 'counter');
  const from = performance.now();
  spawnSync(process.execPath, [cli, 'new', project, '--yes', '--title', 'Counter']);
  const madeMs = performance.now() - from;
  const env = { ...process.env, DATABASE_URL: '' };
  const service = spawn(
    process.execPath,
    [cli, 'serve', '--port', '0', '--project', project, '--data', join(folder, 'data')],
    { env, stdio: ['ignore', 'pipe', 'ignore'] },
  );
  try {
    const address = await new Promise<string>((done) =>
      service.stdout.setEncoding('utf8').on('data', (text: string) => {
        const found = /serves at (\S+)/.exec(text)?.[1];
        if (found) done(found);
      }),
    );
    const http = new HttpClient(address);
    while ((await http.waitingFor()).length > 0) await new Promise((done) => setTimeout(done, 20));
    const readyMs = performance.now() - from;
    let spokenMs = 0;
    const stop = new AbortController();
    await callWithRecording({
      address,
      recording: readFileSync(join(project, 'recordings/first-question.wav')),
      signal: stop.signal,
      onPlayed: () => {
        spokenMs ||= performance.now() - from;
        stop.abort();
      },
    });
    const card = join(project, 'engines/voice.yaml');
    const changes: number[] = [];
    for (let i = 0; i < CHANGES; i++) {
      const title = `Voice ${i}`;
      writeFileSync(card, readFileSync(card, 'utf8').replace(/^title: .*$/m, `title: ${title}`));
      const changed = performance.now();
      while (!(await http.engines()).some((one) => one.title === title))
        await new Promise((done) => setTimeout(done, 5));
      changes.push(performance.now() - changed);
    }
    const round = (ms: number) => Math.round(ms);
    return {
      madeMs: round(madeMs),
      readyMs: round(readyMs),
      firstWordsMs: round(spokenMs),
      changes: CHANGES,
      cardServesMsP50: round(percentile(changes, 0.5)),
      cardServesMsMost: round(Math.max(...changes)),
    };
  } finally {
    service.kill('SIGTERM');
    await once(service, 'exit');
    rmSync(folder, { recursive: true, force: true });
  }
}
