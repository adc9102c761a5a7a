/** A real softphone of Debian's (baresip) that rings, says what a recording says, and keeps what it hears. */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readWav, Resampler, toPcm16, writeWav } from '@verbalon/core';
import { freshFolder } from './service.js';

const RATES = { PCMU: 8_000, G722: 16_000 };

export interface Softphoned {
  /** What it heard, and what it said, at its codec's rate. */
  heard: Float32Array;
  said: Float32Array;
  log: string;
}

const CONFIG = (folder: string) => `
sip_listen 127.0.0.1:0
audio_player aufile,${folder}/played.wav
audio_source aufile,${folder}/says.wav
rtp_ports 31000-31099
module_path /usr/lib/baresip/modules
module stdio.so
module g711.so
module g722.so
module aufile.so
module sndfile.so
snd_path ${folder}
module_tmp uuid.so
module_tmp account.so
module_app menu.so
`;

/**
 * Rings `address` and says `recording` (a WAV file); it hangs up when that is over, or `during` is.
 * @param codec what it speaks
 * @param during works its keys while the call goes on
 */
export async function softphone(
  address: string,
  recording: Uint8Array,
  codec: keyof typeof RATES,
  during?: (press: (keys: string) => void) => Promise<void>,
): Promise<Softphoned> {
  const folder = freshFolder();
  const own = RATES[codec];
  const { channels, rateHz } = readWav(recording);
  const samples = toPcm16(new Resampler(rateHz, own).push(channels[0]!));
  writeFileSync(join(folder, 'says.wav'), writeWav([samples], own));
  writeFileSync(join(folder, 'config'), CONFIG(folder));
  writeFileSync(join(folder, 'accounts'), `<sip:walker@127.0.0.1>;regint=0;audio_codecs=${codec}/${own}/1\n`);
  const seconds = Math.ceil(samples.length / own) + 3;
  const child = spawn('baresip', ['-f', folder, '-e', `/dial ${address}`, '-t', String(seconds)], {
    stdio: ['pipe', 'pipe', 'pipe'],
  });
  let log = '';
  for (const stream of [child.stdout, child.stderr])
    stream.on('data', (data: Buffer) => (log += data.toString()));
  const over = once(child, 'exit');
  if (during) {
    await during((keys) => child.stdin.write(keys)).catch((error: unknown) => {
      child.kill();
      throw error;
    });
    // Hangs up, and quits.
    child.stdin.write('bq');
  }
  await over;
  const lane = (which: string) => {
    const file = readdirSync(folder).find((name) => name.endsWith(`-${which}.wav`));
    if (file === undefined) throw new Error(`the softphone kept no sound: ${log.slice(-2_000)}`);
    return readWav(readFileSync(join(folder, file))).channels[0]!;
  };
  return { heard: lane('dec'), said: lane('enc'), log };
}
