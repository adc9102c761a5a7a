/** Does the microphone hear the loudspeaker? Where it is known not to, a caller may interrupt by speaking. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { soundDevices, type SoundChoice } from './sound-programs.js';
import { terminal } from './terminal.js';

export interface KnownEcho {
  /** The assistant's own voice does not come back. */
  free: boolean;
  /** How that is known, in words. */
  why: string;
}

const remembered = () =>
  join(terminal.env.XDG_CONFIG_HOME ?? join(homedir(), '.config'), 'verbalon', 'echo.json');

/** What the sound system says of these devices, or what a test has found; null where nobody knows. */
export function knownEcho(choice: SoundChoice): KnownEcho | null {
  const { input, output } = devices(choice);
  const { inputs } = soundDevices();
  const words = `${input} ${inputs.find(({ name }) => name === input)?.words ?? ''}`;
  if (/echo[-_ ]?cancel/i.test(words)) return { free: true, why: 'the microphone cancels echoes' };
  if (/headphone|headset/i.test(portOf(output))) return { free: true, why: 'the loudspeaker is headphones' };
  const found = all()[keyOf({ input, output })];
  return typeof found === 'boolean' ? { free: found, why: 'an echo test found so' } : null;
}

/** Keeps what a test has found for these devices. */
export function rememberEcho(choice: SoundChoice, free: boolean): void {
  const file = remembered();
  mkdirSync(dirname(file), { recursive: true });
  writeFileSync(file, `${JSON.stringify({ ...all(), [keyOf(devices(choice))]: free }, null, 2)}\n`);
}

function all(): Record<string, unknown> {
  try {
    return JSON.parse(readFileSync(remembered(), 'utf8')) as Record<string, unknown>;
  } catch {
    return {};
  }
}

const keyOf = ({ input, output }: { input: string; output: string }) => `${input} and ${output}`;

/** Those that are chosen, or the sound system's own. */
function devices({ input, output }: SoundChoice): { input: string; output: string } {
  return { input: input ?? ask('get-default-source'), output: output ?? ask('get-default-sink') };
}

function ask(...args: string[]): string {
  const { stdout } = spawnSync('pactl', args, { encoding: 'utf8', env: { ...terminal.env, LC_ALL: 'C' } });
  return (stdout ?? '').trim();
}

/** Where a loudspeaker's sound comes out, as the sound system names it. */
function portOf(output: string): string {
  const part = ask('list', 'sinks')
    .split(/\n(?=Sink #)/)
    .find((one) => /^\s*Name: (.+)$/m.exec(one)?.[1] === output);
  return /^\s*Active Port: (.+)$/m.exec(part ?? '')?.[1] ?? '';
}
