/** Processes that die during a talk, and the service itself. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { copyFileSync } from 'node:fs';
import { join } from 'node:path';
import { callWithRecording, type RecordedCall } from '@verbalon/client/node';
import type { ServiceMessageOf } from '@verbalon/protocol';
import { ARRIVE, exchange, troubles } from '../../../../testing/bare-line.js';
import { lightProject } from '../../../../testing/light-project.js';
import {
  freshFolder,
  OWN_DATABASE,
  root,
  startService,
  until,
  patientWalker,
  type RunningService,
} from '../../../../testing/service.js';

let project: string;
let service: RunningService;
beforeAll(async () => {
  project = await lightProject({ standins: ['thinker'], engines: ['thinker'] });
  // Processes of ours hear, as they are to be killed.
  copyFileSync(join(root, 'demo/engines/ears.yaml'), join(project, 'engines/ears.yaml'));
  service = await startService(project, undefined, OWN_DATABASE);
});
afterAll(() => service.stop());

describe('during a talk', () => {
  const hosts = () =>
    spawnSync('pgrep', ['-P', String(service.child.pid), '-f', 'pocketsphinx/host.js'])
      .stdout.toString()
      .split('\n')
      .filter(Boolean)
      .map(Number);

  /** Miller talks; `strike` is called during his second question. */
  async function strikeDuring(strike: () => void): Promise<RecordedCall> {
    let struck = false;
    return callWithRecording({
      address: service.address,
      ...patientWalker('miller-asks', 21),
      onMessage: (message) => {
        if (struck || message.kind !== 'partial' || !/how/i.test(message.settled)) return;
        struck = true;
        strike();
      },
    });
  }

  it('the ears are killed and the database is stopped: no word and no row is lost', async () => {
    let killed: number[] = [];
    const call = await strikeDuring(() => {
      killed = hosts();
      for (const pid of killed) process.kill(pid, 'SIGKILL');
      process.kill(service.pids.database, 'SIGINT');
    });
    expect(killed).toHaveLength(2);
    // What callers say stands in no log, whatever the database does.
    expect(service.log()).not.toMatch(/many bunks/i);
    const turns = call.reports.filter(({ source }) => source === 'voice');
    expect(turns[1]!.text).toBe('How many bunks are free at Heron Hut on Saturday?');
    expect(turns.map(({ answered }) => answered)).toEqual([true, true]);
    expect(service.log()).toMatch('the database is away');
    await until(async () => {
      const stored = await service.http.conversation(call.conversation).catch(() => null);
      return stored !== null && stored.endedAt !== null;
    });
    const stored = await service.http.conversation(call.conversation);
    expect(stored.reports).toEqual(call.reports);
    expect(stored.gaps).toEqual([]);
    const journal = await service.http.journal(call.conversation);
    journal.forEach(({ index }, i) => expect(index).toBe(i));
  });

  it('the model is killed: Tansy says that it cannot think, and the talk survives', async () => {
    // It is started again by itself: it is killed as often as that happens.
    let killing: NodeJS.Timeout | undefined;
    const kill = () =>
      spawnSync('pkill', ['-KILL', '-P', String(service.child.pid), '-f', 'thinker/main.js']);
    const call = await strikeDuring(() => {
      kill();
      killing = setInterval(kill, 50);
    });
    clearInterval(killing);
    const turns = call.reports.filter(({ source }) => source === 'voice');
    expect(turns[0]!.answered).toBe(true);
    expect(turns).toHaveLength(2);
    for (const turn of turns.slice(1)) {
      expect(turn).toMatchObject({
        answered: false,
        trouble: 'engine-down',
        heard: expect.stringMatching(/^I am sorry, I cannot think just now/),
      });
    }
    expect(call.cutOff).toBeNull();
    expect(troubles(call.messages)[0]).toMatchObject({
      code: 'engine-down',
      detail: expect.stringContaining('nothing listens there'),
    });
    await until(async () =>
      (await service.http.engines()).some(({ name, state }) => name === 'thinker' && state === 'ready'),
    );
    await until(async () => (await service.http.waitingFor()).length === 0);
  });
});

describe('a service that is killed', () => {
  it('says so on the conversation when it is started again, and nothing is left running', async () => {
    const dataFolder = freshFolder();
    const first = await startService(project, dataFolder, OWN_DATABASE);
    let killing = false;
    const killWhenStored = async () => {
      if (killing) return;
      killing = true;
      await until(async () => (await first.http.conversations()).length > 0);
      first.child.kill('SIGKILL');
    };
    const { messages } = await exchange(
      first.address,
      [ARRIVE],
      (so) => so.some(({ kind }) => kind === 'speech'),
      () => void killWhenStored(),
    );
    const { conversation } = messages[0] as ServiceMessageOf<'admitted'>;
    const second = await startService(project, dataFolder, OWN_DATABASE);
    await until(
      async () => (await second.http.conversation(conversation)).ending?.startsWith('cut off') ?? false,
    );
    expect(spawnSync('kill', ['-0', String(first.pids.standins.thinker!.pid)]).status).not.toBe(0);
    expect(spawnSync('kill', ['-0', String(first.pids.database)]).status).not.toBe(0);
    await second.stop();
    expect(spawnSync('kill', ['-0', String(second.pids.database)]).status).not.toBe(0);
  });
});
