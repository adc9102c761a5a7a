/** Callers who want a person, and messages that are said, by telephone. */
import { problemFrom } from '../problems/problem-from.js';
import type { Telephone } from './telephone.js';
import type { Project } from '../project/project.js';
import { stayIn } from '../project/stay.js';
import type { WayAround } from '../messages/ways.js';
import { HandOvers, type HandOversOptions } from '../talk/call/hand-overs.js';

export function handOversOf(
  project: Project,
  telephone: Telephone,
  parts: Pick<HandOversOptions, 'around' | 'log'>,
): HandOvers {
  return new HandOvers({
    ...parts,
    file: () => project.file.handOver,
    stayOf: (assistant) => stayIn(project, assistant),
    announce: (call, who, failed) => {
      try {
        telephone.phone.announce(call, who, failed);
      } catch (error) {
        failed(problemFrom(error).detail);
      }
    },
  });
}

/** Messages that are said by telephone. */
export function ringing(telephone: Telephone): WayAround['ring'] {
  return async (letter, assistant) => {
    try {
      return await telephone.phone.ringer.deliver(letter, assistant);
    } catch (error) {
      return { is: 'later', why: problemFrom(error).detail };
    }
  };
}
