/** `verbalon sound`: does the microphone work, is it loud enough, and does it hear the loudspeaker? */
import {
  ECHO_LOOK_HZ,
  HOUSE_RATE_HZ,
  findEcho,
  joinPcm16,
  levelDb,
  percentile,
  resample,
  SILENCE_DB,
  testSweep,
  toFloats,
  toPcm16,
} from '@verbalon/core';
import { LiveSound } from './live-sound.js';
import { terminal } from './terminal.js';
import { rememberEcho } from './own-voice.js';
import { soundDevices, type SoundDevice } from './sound-programs.js';

export interface SoundCommandOptions {
  input?: string;
  output?: string;
  list?: boolean;
  hear?: boolean;
  echo?: boolean;
  seconds: number;
  json?: boolean;
}

/** The test sound comes after the devices have settled. */
const SWEEP_AT_MS = 700;
const ECHO_TEST_MS = 2_500;
const METER_LOW_DB = -70;
const METER_WIDTH = 40;

interface Judged {
  peakDb: number;
  quietDb: number;
  verdict: string;
}

export async function soundCommand(options: SoundCommandOptions): Promise<void> {
  const devices = soundDevices();
  const say = (text: string) => void (options.json || terminal.stdout.write(`${text}\n`));
  show('Microphones', devices.inputs, options.input, say);
  show('Loudspeakers', devices.outputs, options.output, say);
  const result: Record<string, unknown> = { ...devices };
  if (!options.list) {
    say(`\nSpeak for ${options.seconds} seconds …`);
    const captured = await capture(options, options.seconds * 1000, null, options.json !== true);
    const judged = judge(captured);
    say(`\nquiet moments ${round(judged.quietDb)} dB, loudest ${round(judged.peakDb)} dB: ${judged.verdict}`);
    result.level = judged;
    if (options.hear) {
      say('This is what it heard …');
      await capture(options, (captured.length * 1000) / HOUSE_RATE_HZ, captured, false);
    }
    if (options.echo) result.echo = await echoTest(options, say);
  }
  if (options.json) terminal.stdout.write(`${JSON.stringify(result)}\n`);
}

function show(
  title: string,
  devices: SoundDevice[],
  chosen: string | undefined,
  say: (text: string) => void,
): void {
  say(`${title}:`);
  if (devices.length === 0) say('  none that the sound system names; its default is used');
  for (const { name, words } of devices)
    say(`  ${name === chosen ? '●' : '·'} ${name}${words === name ? '' : `  (${words})`}`);
}

/** Captures for a while, playing `play` in the meantime, with a meter on a terminal. */
function capture(
  options: Pick<SoundCommandOptions, 'input' | 'output'>,
  forMs: number,
  play: Int16Array | null,
  meter: boolean,
): Promise<Int16Array> {
  const parts: Int16Array[] = [];
  let count = 0;
  return new Promise((resolve, reject) => {
    const sound = new LiveSound(HOUSE_RATE_HZ, options, {
      captured: (samples) => {
        const from = count;
        parts.push(samples);
        count += samples.length;
        if (meter) drawMeter(samples);
        if ((count * 1000) / HOUSE_RATE_HZ >= forMs) {
          sound.close();
          resolve(joinPcm16(parts));
        }
        const out = new Int16Array(samples.length);
        if (play) out.set(play.subarray(from, from + samples.length));
        return out;
      },
      device: (what) => terminal.stderr.write(`verbalon: ${what}\n`),
      failed: reject,
    });
  });
}

function drawMeter(samples: Int16Array): void {
  if (!terminal.stdout.isTTY) return;
  const level = levelDb(toFloats(samples));
  const bar = Math.round(((Math.max(METER_LOW_DB, level) - METER_LOW_DB) / -METER_LOW_DB) * METER_WIDTH);
  terminal.stdout.write(
    `\r\u001b[K${'█'.repeat(bar)}${'░'.repeat(METER_WIDTH - bar)} ${Math.round(level)} dB`,
  );
}

/** Levels of pieces of 50 ms: how loud the loud ones are, how quiet the quiet ones. */
export function judge(captured: Int16Array): Judged {
  const floats = toFloats(captured);
  const step = HOUSE_RATE_HZ / 20;
  const levels = Array.from({ length: Math.floor(floats.length / step) }, (_, i) =>
    levelDb(floats.subarray(i * step, (i + 1) * step)),
  );
  const peakDb = levels.length > 0 ? percentile(levels, 0.95) : SILENCE_DB;
  const quietDb = levels.length > 0 ? percentile(levels, 0.1) : SILENCE_DB;
  return { peakDb, quietDb, verdict: verdictOf(peakDb, quietDb, floats) };
}

function verdictOf(peakDb: number, quietDb: number, floats: Float32Array): string {
  const clipped = floats.filter((sample) => Math.abs(sample) > 0.99).length;
  if (peakDb <= -90) return 'nothing at all: it is muted, or another one is in use; choose one with --input';
  if (clipped > floats.length / 2_000) return 'too loud: it is clipped; turn the microphone down';
  if (peakDb < -45) return 'very quiet: turn the microphone up, or come closer';
  if (peakDb - quietDb < 12) return 'no voice stands out: speak up, or find a quieter place';
  return 'good';
}

/** Plays a short tone and listens for it; what it finds is remembered for these devices. */
export async function echoTest(
  options: Pick<SoundCommandOptions, 'input' | 'output'>,
  say: (text: string) => void,
): Promise<unknown> {
  say('A short tone is played …');
  const sweep = testSweep(HOUSE_RATE_HZ);
  const at = (SWEEP_AT_MS * HOUSE_RATE_HZ) / 1000;
  const play = new Int16Array(at + sweep.length);
  play.set(toPcm16(sweep), at);
  const captured = await capture(options, ECHO_TEST_MS, play, false);
  const heard = resample(toFloats(captured).subarray(at), HOUSE_RATE_HZ, ECHO_LOOK_HZ);
  const echo = findEcho(testSweep(ECHO_LOOK_HZ), heard, ECHO_LOOK_HZ);
  rememberEcho(options, echo === null);
  if (!echo) say('the microphone does not hear the loudspeaker: you can interrupt by speaking');
  else
    say(
      `the microphone hears the loudspeaker after ${Math.round(echo.delayMs)} ms, at ${Math.round(echo.levelDb)} dB: ` +
        'interrupt with Esc, or wear headphones',
    );
  return echo;
}

function round(db: number): string {
  return String(Math.round(db));
}
