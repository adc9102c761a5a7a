/** What goes between the service and a host that unpacks a voice's sound. */
import type { PackedFormat } from './formats.js';

export type ToUnpackHost =
  | { kind: 'begin'; job: number; format: PackedFormat }
  | { kind: 'bytes'; job: number; bytes: Uint8Array }
  | { kind: 'end'; job: number };

/** `samples` are one channel at HOUSE_RATE_HZ. */
export type FromUnpackHost =
  | { kind: 'sound'; job: number; samples: Int16Array }
  | { kind: 'fault'; job: number; detail: string }
  | { kind: 'done'; job: number };
