/** A talk of the bench: what the model answers to everything, and the conductor measured. */
import {
  playTalk,
  type HeardCaller,
  type Plan,
  type PlayedTalk,
  type PlayOptions,
  type RunOutcome,
} from '@verbalon/core';

export const REPLY =
  'The path is open today and it is dry, but the last part below the saddle is steep, so please take good boots and enough water with you, start early in the morning, and tell the warden when you leave the hut.'.split(
    ' ',
  );

/** What comes of an errand there. */
const DONE: RunOutcome = { ending: 'done', given: { text: REPLY.join(' ') } };

export function play(
  plan: Plan,
  heard: HeardCaller,
  more: Pick<PlayOptions, 'say' | 'watch'> = {},
): PlayedTalk {
  return playTalk(plan, heard, { reply: REPLY, outcome: DONE, clock: () => performance.now(), ...more });
}
