/** The talk beside everything: a walker who talks all the time, and is to be answered all the time. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readWav, toPcm16, writeWav } from '@verbalon/core';
import { callWithRecording } from '@verbalon/client/node';
import type { ServiceUnderFire } from './common/service-under-fire.js';

export class Beside {
  private turns = 0;
  private answered = 0;
  private readonly abort = new AbortController();
  private readonly talking: Promise<void>;
  private firstIsOver: () => void = () => undefined;
  private readonly first = new Promise<void>((done) => (this.firstIsOver = done));

  constructor(
    private readonly service: ServiceUnderFire,
    private readonly root: string,
    private readonly seconds = Infinity,
  ) {
    this.talking = this.talk();
  }

  /** One talk at least is held to its end. */
  async end(): Promise<{ turns: number; answered: number }> {
    await this.first;
    this.abort.abort();
    await this.talking;
    return { turns: this.turns, answered: this.answered };
  }

  private async talk(): Promise<void> {
    const { channels, rateHz } = readWav(readFileSync(join(this.root, 'demo/recordings/miller-asks.wav')));
    const recording = writeWav([toPcm16(channels[0]!.subarray(0, this.seconds * rateHz))], rateHz);
    const { signal } = this.abort;
    while (!signal.aborted) {
      const call = await callWithRecording({
        address: this.service.address,
        assistant: 'tansy',
        recording,
        signal,
      });
      // Of the talk that was broken off at the end the last turn is not whole.
      const reports = signal.aborted ? call.reports.slice(0, -1) : call.reports;
      const spoken = reports.filter(({ source }) => source === 'voice');
      this.turns += spoken.length;
      this.answered += spoken.filter(({ answered }) => answered).length;
      this.firstIsOver();
    }
  }
}
