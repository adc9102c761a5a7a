/**
 * A real softphone rings Tansy: signalling and sound of somebody else's making, measured in what it recorded.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  comparableWords,
  errorRate,
  joinPcm16,
  levelDb,
  readWav,
  toPcm16,
  wordErrors,
  writeWav,
  type TurnReport,
} from '@verbalon/core';
import { softphone, type Softphoned } from '../../../../testing/softphone.js';
import { demoCopy, startService, truth, walker, type RunningService } from '../../../../testing/service.js';

let service: RunningService;

beforeAll(async () => {
  const project = demoCopy();
  const path = join(project, 'project.yaml');
  writeFileSync(
    path,
    readFileSync(path, 'utf8').replace(
      /^phone:\n/m,
      'phone:\n  port: 0\n  sound: { from: 22000, to: 22099 }\n',
    ),
  );
  service = await startService(project);
}, 120_000);
afterAll(() => service.stop());

/** Begins to speak when it has been said that the call is recorded. */
function afterTheNotice(recording: Uint8Array): Uint8Array {
  const { channels, rateHz } = readWav(recording);
  return writeWav([joinPcm16([new Int16Array(3 * rateHz), toPcm16(channels[0]!)])], rateHz);
}

/** How much of it is louder than a quiet room, in ms. */
function loudMs(sound: Float32Array, rateHz: number): number {
  const frame = rateHz / 50;
  let frames = 0;
  for (let at = 0; at + frame <= sound.length; at += frame)
    if (levelDb(sound.subarray(at, at + frame)) > -45) frames++;
  return frames * 20;
}

const SPEAKS = [
  { codec: 'PCMU', rateHz: 8_000, errors: 0.25 },
  { codec: 'G722', rateHz: 16_000, errors: 0.15 },
] as const;

describe('softphones that ring at the same time', () => {
  let rung: Record<string, Softphoned>;

  beforeAll(async () => {
    const { address } = await service.http.telephone.view();
    const at = address!.replace('sip:', 'sip:100@');
    const ring = async ({ codec }: (typeof SPEAKS)[number]) =>
      [codec, await softphone(at, afterTheNotice(walker('miller-asks')), codec)] as const;
    rung = Object.fromEntries(await Promise.all(SPEAKS.map(ring)));
  }, 120_000);

  it.each(SPEAKS)(
    'one that speaks $codec is understood, answered at every turn, and hears the answers',
    async ({ codec, rateHz, errors }) => {
      const { heard, log } = rung[codec]!;
      expect(log).toContain('Call established');
      const { calls } = await service.http.telephone.view();
      const call = calls.find(({ sound }) => sound?.codec === codec)!;
      expect(call.stages.map(({ stage }) => stage)).toEqual(['ringing', 'connected', 'ended']);
      const entries = await service.http.journal(call.conversation!);
      const reports = entries.flatMap(({ kind, body }) => {
        const { message } = body as { message?: { kind: string; report: TurnReport } };
        return kind === 'tell' && message?.kind === 'turn' ? [message.report] : [];
      });
      const turns = reports.filter(({ source }) => source === 'voice');
      expect(turns.slice(0, 3).map(({ answered }) => answered)).toEqual([true, true, true]);
      expect(turns[1]!.heard).toBe('There are four bunks free at Heron Hut on Saturday.');
      const said = comparableWords(
        truth('miller-asks')
          .map(({ text }) => text)
          .join(' '),
      );
      const understood = comparableWords(turns.map(({ text }) => text).join(' '));
      expect(errorRate(wordErrors(said, understood))).toBeLessThan(errors);
      // What was said was heard at the other end: about as much sound as the words take.
      const words = comparableWords(reports.map((report) => report.heard).join(' ')).length;
      expect(loudMs(heard, rateHz)).toBeGreaterThan(words * 150);
      expect(call.sound).toMatchObject({ lostThere: 0 });
    },
  );
});
