/** Talking on the command line, with real engines. */
import { beforeAll, describe, expect, it } from '@jest/globals';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { audibleEdges, readWav } from '@verbalon/core';
import { cli, freshFolder, verbalon, walker } from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

const folder = freshFolder();
const put = (name: string, content: Uint8Array | string) => {
  writeFileSync(join(folder, name), content);
  return join(folder, name);
};

describe('with a service', () => {
  let service: SharedService;
  let env: Record<string, string>;
  beforeAll(async () => {
    service = await sharedDemo();
    env = { VERBALON_URL: service.address };
  });

  it('talk --from speaks in real time, ends by itself, prints events and saves both sides', async () => {
    const both = join(folder, 'both.wav');
    const started = Date.now();
    const child = spawn(
      process.execPath,
      [
        cli,
        'talk',
        'tansy',
        '--from',
        put('carter.wav', walker('carter-in-the-wind', 9)),
        '--save',
        both,
        '--json',
      ],
      {
        env: { ...process.env, ...env },
      },
    );
    let out = '';
    child.stdout.setEncoding('utf8').on('data', (text: string) => (out += text));
    const [code] = (await once(child, 'exit')) as [number];
    expect(code).toBe(0);
    const events = out
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { atMs: number; kind: string });
    for (const event of events) expect(typeof event.atMs).toBe('number');
    // On a busy machine the greeting comes late and lasts into the caller's words: then it is ducked; and the
    // final words may come too late to be waited for.
    const mayBe = ['duck', 'unduck', 'final'];
    const kinds = events.map(({ kind }) => kind).filter((kind) => !mayBe.includes(kind));
    expect(new Set(kinds)).toEqual(
      new Set(['admitted', 'state', 'reply', 'speech', 'turn', 'voice', 'partial', 'spent', 'farewell']),
    );
    const spoken = readWav(walker('carter-in-the-wind', 9));
    const saved = readWav(readFileSync(both));
    expect(saved.rateHz).toBe(44_100);
    expect(saved.channels).toHaveLength(2);
    const seconds = saved.channels[0]!.length / saved.rateHz;
    expect(seconds).toBeGreaterThan(spoken.channels[0]!.length / spoken.rateHz);
    expect((Date.now() - started) / 1_000).toBeGreaterThan(seconds - 1);
    expect(audibleEdges(saved.channels[1]!, saved.rateHz)).not.toBeNull();
  });

  it('listen prints the words and answers nothing', async () => {
    const { code, out } = await verbalon(
      ['listen', '--from', put('short.wav', walker('baker-interrupts', 8))],
      env,
    );
    expect(code).toBe(0);
    expect(out).toMatch(/caller +Tell me about the huts/);
    expect(out).not.toMatch(/gap/);
  });
});
