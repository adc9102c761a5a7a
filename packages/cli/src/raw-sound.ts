/**
 * A device's sound on pipes: 16-bit samples, one channel. What comes in drives: for as much of it as much is
 * given back.
 */
import { constants, createReadStream, createWriteStream, openSync, statSync } from 'node:fs';
import { Socket } from 'node:net';
import type { Readable, Writable } from 'node:stream';
import { ServiceError } from '@verbalon/client';
import { pcm16Bytes, pcm16FromBytes } from '@verbalon/core';
import type { LiveSoundEvents } from './live-sound.js';

/** A loudspeaker that does not read is given nothing more with so much waiting, in bytes: 2 s. */
const MOST_WAITING = 64_000;

export class RawSound {
  private readonly hears: Readable;
  private readonly speaks: Writable;
  private rest = Buffer.alloc(0);
  private isOver = false;

  /**
   * @param hear a pipe or file with the microphone's sound @param speak one for the loudspeaker's @throws
   * ServiceError where there is none
   */
  constructor(
    hear: string,
    speak: string,
    private readonly events: LiveSoundEvents,
  ) {
    try {
      this.hears = isPipe(hear) ? pipeAt(hear, true) : createReadStream(hear);
      this.speaks = isPipe(speak) ? pipeAt(speak, false) : createWriteStream(speak);
    } catch (error) {
      throw noSound((error as Error).message);
    }
    this.hears.on('error', (error) => this.fail(`${hear}: ${error.message}`));
    this.speaks.on('error', (error) => this.fail(`${speak}: ${error.message}`));
    this.hears.on('data', (bytes: Buffer) => this.take(bytes));
    this.hears.on('end', () => this.fail(`${hear} has ended`));
  }

  close(): void {
    this.isOver = true;
    this.hears.destroy();
    this.speaks.destroy();
  }

  private fail(detail: string): void {
    if (this.isOver) return;
    this.isOver = true;
    this.events.failed(noSound(detail));
  }

  private take(bytes: Buffer): void {
    const all = Buffer.concat([this.rest, bytes]);
    // An even number of samples, as frames have.
    const whole = all.length - (all.length % 4);
    this.rest = all.subarray(whole);
    if (whole === 0) return;
    const out = this.events.captured(pcm16FromBytes(all.subarray(0, whole)));
    if (this.speaks.writableLength < MOST_WAITING) this.speaks.write(pcm16Bytes(out));
  }
}

/** @returns false for what is not there: a file may be made */
const isPipe = (path: string): boolean => statSync(path, { throwIfNoEntry: false })?.isFIFO() ?? false;

/**
 * A pipe with a name, opened so that neither an end without another nor a read without sound holds anything
 * up.
 */
function pipeAt(path: string, isRead: boolean): Socket {
  const fd = openSync(path, constants.O_RDWR | constants.O_NONBLOCK);
  return new Socket({ fd, readable: isRead, writable: !isRead });
}

function noSound(detail: string): ServiceError {
  return new ServiceError({
    code: 'microphone-silent',
    title: 'The sound on the pipe is over',
    detail,
    remedy: 'Give --hear and --speak two pipes that stay open: mkfifo hear speak.',
  });
}
