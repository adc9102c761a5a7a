/** Packed sound (MP3, Ogg, FLAC, WebM) of a voice, unpacked while it comes, off the event loop. */
import { EngineFault } from '../common/contract.js';
import { EventQueue } from '../common/event-queue.js';
import type { Lease } from '../hosts/engine-port.js';
import { HostPool } from '../hosts/host-pool.js';
import type { PackedFormat } from './formats.js';
import type { FromUnpackHost, ToUnpackHost } from './messages.js';

/** Hosts that are kept ready, and how many there are at most: one a phrase that is being synthesised. */
const READY = 1;
const MOST = 8;
/** No encoder makes more sound of a byte, in samples; what is short may have as much as the second number. */
const MOST_SAMPLES_A_BYTE = 1_000;
const SHORT_SAMPLES = 1_000_000;

let pool: HostPool<ToUnpackHost, FromUnpackHost> | null = null;
let users = 0;

/** Whoever may need a host says so before, and says when it does not any more. */
export async function warmUnpacking(): Promise<void> {
  await hosts().warm();
}

export function useUnpacking(): () => Promise<void> {
  users++;
  let left = false;
  return async () => {
    if (left) return;
    left = true;
    if (--users > 0) return;
    const closing = pool;
    pool = null;
    await closing?.close();
  };
}

function hosts(): HostPool<ToUnpackHost, FromUnpackHost> {
  const file = new URL('./unpack-host.js', import.meta.url);
  return (pool ??= new HostPool({ name: 'unpacking', file, size: READY, most: MOST, limited: true }));
}

/** One stream of packed sound; what comes out of it is read as an async iterable, at HOUSE_RATE_HZ. */
export class Unpacking implements AsyncIterable<Int16Array> {
  private readonly out = new EventQueue<Int16Array>();
  private readonly lease: Promise<Lease<ToUnpackHost, FromUnpackHost>>;
  private bytes = 0;
  private samples = 0;

  constructor(
    private readonly name: string,
    format: PackedFormat,
  ) {
    this.lease = hosts().lease();
    this.lease.then(
      (lease) => {
        lease.onMessage = (message) => this.hear(message);
        lease.onDeath = () => this.fail(`${name} sent ${format} sound that no decoder survives`);
        lease.send({ kind: 'begin', job: lease.job, format });
      },
      (fault: Error) => this.out.fail(fault),
    );
  }

  push(bytes: Uint8Array): void {
    this.bytes += bytes.length;
    this.post((job) => ({ kind: 'bytes', job, bytes }));
  }

  end(): void {
    this.post((job) => ({ kind: 'end', job }));
  }

  /** It is not wanted any more, or all of it has come. */
  close(): void {
    this.end();
    this.lease.then(
      (lease) => lease.release(),
      () => undefined,
    );
  }

  [Symbol.asyncIterator](): AsyncIterator<Int16Array, undefined> {
    return this.out[Symbol.asyncIterator]();
  }

  private post(message: (job: number) => ToUnpackHost): void {
    this.lease.then(
      (lease) => lease.send(message(lease.job)),
      () => undefined,
    );
  }

  private hear(message: FromUnpackHost): void {
    if (message.kind === 'done') return this.out.end();
    if (message.kind === 'fault')
      return this.fail(`${this.name} sent sound that is damaged: ${message.detail}`);
    this.samples += message.samples.length;
    if (this.samples > SHORT_SAMPLES + MOST_SAMPLES_A_BYTE * this.bytes)
      return this.fail(`${this.name} sent sound that claims to be longer than its bytes can hold`);
    this.out.push(message.samples);
  }

  private fail(detail: string): void {
    this.out.fail(new EngineFault('engine-garbled', detail));
  }
}
