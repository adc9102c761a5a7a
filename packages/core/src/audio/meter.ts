/** Level and spectrum of a microphone, for the eye. */
import { levelDb } from './levels.js';
import { logEdges, Spectrum } from './spectrum.js';

const BANDS = 24;
const LOW_HZ = 80;
const HIGH_HZ = 8_000;
/** Shown as long as nothing has been heard, in dBFS. */
const QUIET_DB = -90;

export interface MeterReading {
  levelDb: number;
  bandsDb: readonly number[];
}

export const QUIET_READING: MeterReading = {
  levelDb: QUIET_DB,
  bandsDb: new Array<number>(BANDS).fill(QUIET_DB),
};

/** One for each microphone, at its own rate. */
export class Meter {
  private readonly size: number;
  private readonly spectrum: Spectrum;
  private readonly edges: number[];
  private bandsDb = QUIET_READING.bandsDb;

  constructor(rateHz: number) {
    this.size = 2 * Math.round(rateHz / 100);
    this.spectrum = new Spectrum(this.size, rateHz);
    this.edges = logEdges(LOW_HZ, Math.min(HIGH_HZ, rateHz / 2), BANDS);
  }

  /** The spectrum is that of the first 20 ms; of a shorter piece it stays as it was. */
  read(samples: Float32Array): MeterReading {
    if (samples.length >= this.size)
      this.bandsDb = this.spectrum.bandLevels(samples.subarray(0, this.size), this.edges);
    return { levelDb: levelDb(samples), bandsDb: this.bandsDb };
  }
}
