/** Watching a talk: links for a screen in the room, and what such a screen is told. */
import { Type, type Static } from '@sinclair/typebox';
import { closed } from './names.js';
import type { ServiceMessageOf } from './service-messages.js';

const May = Type.Union([Type.Literal('watch'), Type.Literal('join'), Type.Literal('take over')]);
export type May = Static<typeof May>;

export const NewView = Type.Object(
  {
    /** How long the link holds, in s; an hour by default. */
    seconds: Type.Optional(Type.Integer({ minimum: 10, maximum: 86_400 })),
    /** What whoever has the link may: only watch (the usual), join and speak, or take over too. */
    may: Type.Optional(May),
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
    /** With it a line joins the talk: `join` of `arrive`; null where the link only shows. */
    join: Type.Union([Type.String(), Type.Null()]),
    expiresAt: Type.String(),
  },
  closed,
);
export type ViewLink = Static<typeof ViewLink>;

/**
 * `heard`: so much of a speech has really left the loudspeaker; `levelDb` is how loud its last part was, in
 * dBFS.
 */
export type WatchedEvent =
  | ServiceMessageOf<
      'state' | 'voice' | 'partial' | 'final' | 'speech' | 'hush' | 'fresh' | 'person' | 'farewell'
    >
  | { kind: 'heard'; speech: number; playedMs: number; atMs: number; levelDb: number };
