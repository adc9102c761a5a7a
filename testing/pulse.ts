/**
 * A sound system of our own without sound hardware: PulseAudio with sinks that go nowhere, whose monitors are
 * microphones.
 */
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { until } from './service.js';

export interface Pulse {
  /** For programs that are to use it. */
  env: Record<string, string>;
  addSink(name: string): void;
  removeSinks(): void;
  /** Plays raw 16-bit sound of 16 kHz into a sink, in real time, to its end. */
  play(sink: string, pcm: Uint8Array): Promise<void>;
  stop(): void;
}

export async function startPulse(): Promise<Pulse> {
  const runtime = mkdtempSync(join(tmpdir(), 'verbalon-pulse-'));
  const env = { XDG_RUNTIME_DIR: runtime, PULSE_RUNTIME_PATH: runtime, HOME: runtime };
  const all = { ...process.env, ...env };
  const server = spawn(
    'pulseaudio',
    ['-n', '--exit-idle-time=-1', '--use-pid-file=no', '-L', 'module-native-protocol-unix'],
    {
      env: all,
      stdio: 'ignore',
    },
  );
  const control = (...args: string[]) => spawnSync('pactl', args, { env: all, encoding: 'utf8' });
  await until(() => control('info').status === 0);
  return {
    env,
    addSink: (name) => void control('load-module', 'module-null-sink', `sink_name=${name}`),
    removeSinks: () => void control('unload-module', 'module-null-sink'),
    play: (sink, pcm) =>
      new Promise((done) => {
        const player = spawn(
          'pacat',
          [`--device=${sink}`, '--raw', '--rate=16000', '--format=s16le', '--channels=1'],
          { env: all, stdio: ['pipe', 'ignore', 'ignore'] },
        );
        player.stdin.on('error', () => undefined);
        player.on('close', () => done());
        player.stdin.end(pcm);
      }),
    stop: () => {
      server.kill();
      rmSync(runtime, { recursive: true, force: true });
    },
  };
}
