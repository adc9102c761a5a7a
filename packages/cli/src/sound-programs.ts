/** The microphone and the loudspeaker of a terminal: programs that the machine has, with raw 16-bit sound on a pipe. */
import { spawnSync } from 'node:child_process';
import { ServiceError } from '@verbalon/client';

type Command = (rateHz: number) => string[];

const CAPTURE: Record<string, Command> = {
  'pw-record': (rate) => ['--format', 's16', '--rate', String(rate), '--channels', '1', '-'],
  parec: (rate) => ['--raw', '--format=s16le', `--rate=${rate}`, '--channels=1', '--latency-msec=20'],
  arecord: (rate) => ['-q', '-t', 'raw', '-f', 'S16_LE', '-r', String(rate), '-c', '1'],
  rec: (rate) => ['-q', '-t', 'raw', '-e', 'signed', '-b', '16', '-r', String(rate), '-c', '1', '-'],
};
const PLAY: Record<string, Command> = {
  'pw-play': (rate) => ['--format', 's16', '--rate', String(rate), '--channels', '1', '-'],
  pacat: (rate) => ['--raw', '--format=s16le', `--rate=${rate}`, '--channels=1', '--latency-msec=40'],
  aplay: (rate) => ['-q', '-t', 'raw', '-f', 'S16_LE', '-r', String(rate), '-c', '1'],
  play: (rate) => ['-q', '-t', 'raw', '-e', 'signed', '-b', '16', '-r', String(rate), '-c', '1', '-'],
};

function has(program: string): boolean {
  return spawnSync('which', [program]).status === 0;
}

function choose(programs: Record<string, Command>, rateHz: number, what: string): [string, string[]] {
  const found = Object.keys(programs).find(has);
  if (found) return [found, programs[found]!(rateHz)];
  throw new ServiceError({
    code: 'sound-program-missing',
    title: `No ${what} can be used`,
    detail: `none of ${Object.keys(programs).join(', ')} is installed`,
    remedy: 'Type: apt-get install pulseaudio-utils — or use --from FILE.wav, or the console in a browser.',
  });
}

/** @throws ServiceError `sound-program-missing` */
export function soundPrograms(rateHz: number): { capture: [string, string[]]; play: [string, string[]] } {
  return { capture: choose(CAPTURE, rateHz, 'microphone'), play: choose(PLAY, rateHz, 'loudspeaker') };
}
