/** Watching a talk: links for a screen in the room, and what such a screen is told. */
import { Type, type Static } from '@sinclair/typebox';
import { closed } from './names.js';
import type { ServiceMessageOf } from './service-messages.js';

export const NewView = Type.Object(
  {
    /** How long the link holds, in s; an hour by default. */
    seconds: Type.Optional(Type.Integer({ minimum: 10, maximum: 86_400 })),
  },
  closed,
);
export const ViewLink = Type.Object(
  {
    /** Of the page; `?face` shows a face beside the words, `?size=small` smaller ones. */
    page: Type.String(),
    /** Live WebVTT. */
    captions: Type.String(),
    /** What happens, as server-sent events. */
    events: Type.String(),
    expiresAt: Type.String(),
  },
  closed,
);
export type ViewLink = Static<typeof ViewLink>;

/** `heard`: so much of a speech has really left the loudspeaker; `levelDb` is how loud its last part was, in dBFS. */
export type WatchedEvent =
  | ServiceMessageOf<'state' | 'voice' | 'partial' | 'final' | 'speech' | 'hush' | 'fresh' | 'farewell'>
  | { kind: 'heard'; speech: number; playedMs: number; atMs: number; levelDb: number };
