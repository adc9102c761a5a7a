/** What answers of the service are made into, where they are more than their JSON. */
import type { ProjectText, TriedItem, Tryout } from '@verbalon/protocol';

export type TryoutEvent =
  { kind: 'tried'; engine: string; item: TriedItem } | { kind: 'done'; tryout: Tryout };

export interface SaidAloud {
  wav: Uint8Array;
  firstSoundMs: number;
  tookMs: number;
}

export interface FileText extends ProjectText {
  /** For writing it back. */
  etag: string;
}
