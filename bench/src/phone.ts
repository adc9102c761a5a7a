/**
 * The telephone: its gaps and interruptions beside those of a web line of the same rate in the same run, from
 * the packets that a telephone sent and got; 60 calls over a bad network; and what 1,000 short calls leave
 * behind.
 */
import { readdirSync } from 'node:fs';
import { HttpClient } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import {
  HOUSE_RATE_HZ,
  joinPcm16,
  levelDb,
  readWav,
  Resampler,
  samplesOfMs,
  seeded,
  toFloats,
  toPcm16,
  writeWav,
} from '@verbalon/core';
import { TestPhone, type Options } from '@verbalon/hostile';
import { Helper } from './crowd/bench.js';
import { audible, benchService, recordingOf, round, sayings, spread, type Saying } from './common/stage.js';
import { shareOf } from './common/statistics.js';

const RATE_HZ = 8_000;
const LEAD_MS = 1_500;
const LISTEN_MS = 3_500;
/** An interrupter speaks so long after the question's end, in ms: the answer is 40 words long. */
const OVER_MS = [2_600, 3_100, 3_700, 4_300];
const CALLS = 60;
const TALK_S = 20;
/** After each saying, so that it is answered. */
const PAUSE_MS = 2_500;
const LOST = 0.05;
const JITTER_MS = 30;
const SHORT_CALLS = 1_000;
const AT_ONCE = 10;
/** Softer than its neighbours by so much, a frame is a hole, in dB. */
const HOLE_DB = 20;
const SEED = Number(process.env.VERBALON_SEED ?? 8_101);

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** As a telephone's line has it. */
function narrow(recording: Uint8Array): Int16Array {
  const { channels, rateHz } = readWav(recording);
  return toPcm16(new Resampler(rateHz, RATE_HZ).push(channels[0]!));
}

interface Lanes {
  caller: Int16Array;
  assistant: Int16Array;
}

/** @returns null where it hears that there is no room */
async function rung(sip: string, options: Options = {}): Promise<TestPhone | null> {
  const phone = await TestPhone.open(options);
  phone.ring(sip.replace('sip:', 'sip:100@'));
  for (let tries = 0; !phone.last('INVITE', 200); tries++) {
    if (phone.last('INVITE', 486)) {
      phone.close();
      return null;
    }
    if (tries > 1_000) throw new Error(`nobody answered: ${phone.came.map(({ status }) => status).join()}`);
    await wait(10);
  }
  return phone;
}

async function byPhone(sip: string, recording: Uint8Array): Promise<Lanes> {
  const phone = (await rung(sip))!;
  phone.say(narrow(recording));
  while (phone.isSaying) await wait(20);
  const { lanes } = phone;
  phone.hangUp();
  await wait(50);
  phone.close();
  return lanes;
}

async function byWeb(address: string, recording: Uint8Array): Promise<Lanes> {
  const stop = new AbortController();
  const samples = narrow(recording);
  setTimeout(() => stop.abort(), (samples.length * 1_000) / RATE_HZ);
  const { caller, assistant } = await callWithRecording({
    address,
    recording: writeWav([samples], RATE_HZ),
    signal: stop.signal,
  });
  return { caller, assistant };
}

/** Where the caller's first sound begins on the lane, and with it everything else of the recording. */
const startOf = ({ caller }: Lanes) => audible(caller, RATE_HZ)!.fromMs;
const lengthOf = ({ samples }: Saying) => (samples.length * 1_000) / HOUSE_RATE_HZ;

async function gapsAndStops(): Promise<object> {
  const service = await benchService(['--fixed-words', '40']);
  const sip = (await new HttpClient(service.address).telephone.view()).address!;
  const all = sayings(['miller-asks', 'baker-interrupts']);
  const found = {
    phone: { gaps: [] as number[], stops: [] as number[] },
    web: { gaps: [] as number[], stops: [] as number[] },
  };
  for (const [i, saying] of all.entries()) {
    const endMs = LEAD_MS + lengthOf(saying);
    const over = all[(i + 1) % all.length]!;
    const overMs = endMs + OVER_MS[i % OVER_MS.length]!;
    const question = recordingOf([{ atMs: LEAD_MS, samples: saying.samples }], endMs + LISTEN_MS);
    const interrupted = recordingOf(
      [
        { atMs: LEAD_MS, samples: saying.samples },
        { atMs: overMs, samples: over.samples },
      ],
      overMs + lengthOf(over) + 1_500,
    );
    for (const line of i % 2 === 0 ? (['phone', 'web'] as const) : (['web', 'phone'] as const)) {
      const ring = (recording: Uint8Array) =>
        line === 'phone' ? byPhone(sip, recording) : byWeb(service.address, recording);
      const asked = await ring(question);
      const from = startOf(asked) + lengthOf(saying);
      found[line].gaps.push((audible(asked.assistant, RATE_HZ, from)?.fromMs ?? Infinity) - from);
      const cut = await ring(interrupted);
      const began = startOf(cut) + overMs - LEAD_MS;
      const window = cut.assistant.subarray(0, samplesOfMs(began + lengthOf(over), RATE_HZ));
      found[line].stops.push((audible(window, RATE_HZ, began)?.toMs ?? began) - began);
    }
  }
  await service.end();
  const told = ({ gaps, stops }: typeof found.web) => ({ gapMs: spread(gaps), toSilenceMs: spread(stops) });
  const longer = (of: 'gaps' | 'stops') =>
    round(spread(found.phone[of].map((ms, i) => ms - found.web[of][i]!)).p50, 1);
  return {
    phone: told(found.phone),
    web: told(found.web),
    phoneIsLongerMs: { gap: longer('gaps'), toSilence: longer('stops') },
  };
}

/** How many frames of what came have next to nothing in them, where sound is on both sides. */
function holes(sound: Float32Array): { holes: number; frames: number } {
  const frame = samplesOfMs(20, RATE_HZ);
  const levels = Array.from({ length: Math.floor(sound.length / frame) }, (_, i) =>
    levelDb(sound.subarray(i * frame, (i + 1) * frame)),
  );
  let count = 0;
  let frames = 0;
  for (let i = 1; i + 1 < levels.length; i++) {
    const around = Math.min(levels[i - 1]!, levels[i + 1]!);
    if (around < -45) continue;
    frames++;
    if (levels[i]! < around - HOLE_DB) count++;
  }
  return { holes: count, frames };
}

async function badNetwork(server: Helper, address: string): Promise<object> {
  const http = new HttpClient(address);
  const sip = (await http.telephone.view()).address!;
  const silence = new Int16Array(samplesOfMs(PAUSE_MS, HOUSE_RATE_HZ));
  const saying = joinPcm16(
    sayings(['miller-asks', 'carter-errs']).flatMap(({ samples }) => [samples, silence]),
  );
  const sound = narrow(writeWav([saying], HOUSE_RATE_HZ));
  const phones: TestPhone[] = [];
  await server.ask('begin');
  const lost: boolean[][] = [];
  for (let i = 0; i < CALLS; i++) {
    const random = seeded(SEED + i);
    const gone: boolean[] = [];
    const network = () => {
      gone.push(random() < LOST);
      return gone.at(-1) ? null : 1 + random() * JITTER_MS;
    };
    const phone = await rung(sip, { network });
    if (!phone) continue;
    lost.push(gone);
    phones.push(phone);
    phone.say(joinPcm16(Array.from({ length: 8 }, () => sound)));
  }
  await wait(TALK_S * 1_000);
  const { cpuMs, memoryMb } = (await server.ask('take')) as { cpuMs: number; memoryMb: number };
  const calls = (await http.telephone.view()).calls.filter(({ sound }) => sound !== null).reverse();
  const alive = calls.filter(({ stages }) => stages.at(-1)!.stage === 'connected').length;
  const journals = await Promise.all(calls.map((call) => http.journal(call.conversation!)));
  const answered = journals.filter((entries) =>
    entries.some(
      ({ kind, body }) =>
        kind === 'tell' && (body as { message: { report?: { answered: boolean } } }).message.report?.answered,
    ),
  ).length;
  const missing = calls.reduce((sum, call) => sum + call.sound!.missing, 0);
  const late = calls.reduce((sum, call) => sum + call.sound!.late, 0);
  const received = calls.reduce((sum, call) => sum + call.sound!.received, 0);
  const holdMs = spread(calls.map((call) => call.sound!.holdMs));
  let concealed = { holes: 0, frames: 0 };
  let left = { holes: 0, frames: 0 };
  for (const [i, call] of calls.slice(0, 20).entries()) {
    const heard = await http.conversationSound(call.conversation!);
    concealed = sum(concealed, holes(toFloats(narrow(heard))));
    // The same sound with silence where a packet was lost.
    const silent = phones[i]!.said.map((frame, at) => (lost[i]![at] ? new Int16Array(frame.length) : frame));
    left = sum(left, holes(toFloats(joinPcm16(silent))));
  }
  for (const phone of phones) phone.hangUp();
  await wait(500);
  for (const phone of phones) phone.close();
  return {
    calls: CALLS,
    refused: CALLS - phones.length,
    alive,
    answered,
    packets: received,
    missing,
    late,
    holdMs,
    msASecondOfACall: round(cpuMs / phones.length / TALK_S, 2),
    memoryMb: round(memoryMb),
    holes: {
      concealed: shareOf(concealed.holes, concealed.frames),
      without: shareOf(left.holes, left.frames),
    },
  };
}

const sum = (a: { holes: number; frames: number }, b: typeof a) => ({
  holes: a.holes + b.holes,
  frames: a.frames + b.frames,
});

/** What the process holds: open files (sockets among them), memory. */
async function held(server: Helper) {
  const { memoryMb, heldMb } = (await server.ask('take')) as { memoryMb: number; heldMb: number };
  return {
    heldMb: round(heldMb),
    files: readdirSync(`/proc/${server.child.pid}/fd`).length,
    memoryMb: round(memoryMb),
  };
}

async function shortCalls(server: Helper, address: string): Promise<object> {
  const http = new HttpClient(address);
  const sip = (await http.telephone.view()).address!;
  let refused = 0;
  const some = async (count: number) => {
    for (let done = 0; done < count; done += AT_ONCE)
      await Promise.all(
        Array.from({ length: AT_ONCE }, async () => {
          const phone = await rung(sip);
          if (!phone) return void refused++;
          await wait(200);
          phone.hangUp();
          while (!phone.last('BYE', 200)) await wait(10);
          phone.close();
        }),
      );
  };
  // What is kept for good, such as code and pools, is there after the first ones.
  await some(200);
  await wait(35_000);
  const before = await held(server);
  await some(SHORT_CALLS);
  const during = await held(server);
  // Dialogs linger for 32 s, for what is sent again of them.
  await wait(35_000);
  const after = await held(server);
  const { calls } = await http.telephone.view();
  return {
    calls: SHORT_CALLS,
    refused,
    before,
    during,
    after,
    going: calls.filter(({ stages }) => stages.at(-1)!.stage !== 'ended').length,
  };
}

export async function phoneBench(): Promise<object> {
  const beside = await gapsAndStops();
  process.stdout.write(`  ${JSON.stringify(beside)}\n`);
  const { helper, said } = await Helper.begin('./service.js');
  const network = await badNetwork(helper, String(said.address));
  process.stdout.write(`  ${JSON.stringify(network)}\n`);
  const short = await shortCalls(helper, String(said.address));
  await helper.ask('end');
  return { beside, network, short, seed: SEED };
}
