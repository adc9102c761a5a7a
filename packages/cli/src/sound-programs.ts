/**
 * The microphone and the loudspeaker of a terminal: programs that the machine has, with raw 16-bit sound on a
 * pipe.
 */
import { spawnSync } from 'node:child_process';
import { ServiceError } from '@verbalon/client';
import { terminal } from './terminal.js';

type Command = (rateHz: number, device: string | undefined) => string[];

const named = (option: string, device: string | undefined) => (device === undefined ? [] : [option, device]);

const pipewireOptions: Command = (rate, device) => [
  '--format',
  's16',
  '--rate',
  String(rate),
  '--channels',
  '1',
  ...named('--target', device),
  '-',
];

const pulseOptions =
  (latencyMs: number): Command =>
  (rate, device) => [
    '--raw',
    '--format=s16le',
    `--rate=${rate}`,
    '--channels=1',
    `--latency-msec=${latencyMs}`,
    ...(device === undefined ? [] : [`--device=${device}`]),
  ];

const alsaOptions: Command = (rate, device) => [
  '-q',
  '-t',
  'raw',
  '-f',
  'S16_LE',
  '-r',
  String(rate),
  '-c',
  '1',
  ...named('-D', device),
];

const soxOptions: Command = (rate) => [
  '-q',
  '-t',
  'raw',
  '-e',
  'signed',
  '-b',
  '16',
  '-r',
  String(rate),
  '-c',
  '1',
  '-',
];

/** The programs of one system take the same options for both ways. */
const CAPTURE: Record<string, Command> = {
  'pw-record': pipewireOptions,
  parec: pulseOptions(20),
  arecord: alsaOptions,
  rec: soxOptions,
};
const PLAY: Record<string, Command> = {
  'pw-play': pipewireOptions,
  pacat: pulseOptions(40),
  aplay: alsaOptions,
  play: soxOptions,
};

export interface SoundDevice {
  name: string;
  words: string;
}

export interface SoundChoice {
  input?: string | undefined;
  output?: string | undefined;
}

export type Invocation = [program: string, args: string[]];

function has(program: string): boolean {
  return spawnSync('which', [program], { env: terminal.env }).status === 0;
}

function choose(
  programs: Record<string, Command>,
  rateHz: number,
  device: string | undefined,
  what: string,
): Invocation {
  const found = Object.keys(programs).find(has);
  if (found) return [found, programs[found]!(rateHz, device)];
  throw new ServiceError({
    code: 'sound-program-missing',
    title: `No ${what} can be used`,
    detail: `none of ${Object.keys(programs).join(', ')} is installed`,
    remedy: 'Type: apt-get install pulseaudio-utils — or use --from FILE.wav, or the console in a browser.',
  });
}

/** @throws ServiceError `sound-program-missing` */
export function captureProgram(rateHz: number, device?: string): Invocation {
  return choose(CAPTURE, rateHz, device, 'microphone');
}

/** @throws ServiceError `sound-program-missing` */
export function playProgram(rateHz: number, device?: string): Invocation {
  return choose(PLAY, rateHz, device, 'loudspeaker');
}

/** The devices that the machine's sound system knows, under the names by which they are chosen. */
export function soundDevices(): { inputs: SoundDevice[]; outputs: SoundDevice[] } {
  if (has('pactl')) {
    const inputs = pulse('sources');
    const outputs = pulse('sinks');
    if (inputs.length + outputs.length > 0) return { inputs, outputs };
  }
  return { inputs: alsa('arecord'), outputs: alsa('aplay') };
}

function pulse(kind: 'sources' | 'sinks'): SoundDevice[] {
  const { stdout } = spawnSync('pactl', ['list', kind], {
    encoding: 'utf8',
    env: { ...terminal.env, LC_ALL: 'C' },
  });
  return (stdout ?? '').split(/\n(?=(?:Source|Sink) #)/).flatMap((part) => {
    const name = /^\s*Name: (.+)$/m.exec(part)?.[1];
    return name === undefined ? [] : [{ name, words: /^\s*Description: (.+)$/m.exec(part)?.[1] ?? name }];
  });
}

/** `card 0: PCH [HDA Intel PCH], device 0: …` is `plughw:0,0`. */
function alsa(program: 'arecord' | 'aplay'): SoundDevice[] {
  const { stdout } = spawnSync(program, ['-l'], { encoding: 'utf8', env: { ...terminal.env, LC_ALL: 'C' } });
  return [...(stdout ?? '').matchAll(/^card (\d+): .*?\[(.+?)\], device (\d+): .*?\[(.*?)\]/gm)].map(
    ([, card, words, device, more]) => ({
      name: `plughw:${card},${device}`,
      words: `${words}, ${more}`,
    }),
  );
}
