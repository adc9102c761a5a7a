/** The times of a turn, all on the caller's axis in ms, and the gap split into its parts. */

export interface TurnTimes {
  voiceBeganMs?: number;
  /** The caller's last sound, as the ear heard it; for a typed turn, when it was typed. */
  voiceEndedMs?: number;
  endpointMs?: number;
  /** When the answer that was given began to be thought of: before the endpoint, if it had a head start. */
  thinkingMs?: number;
  /** The last final transcript of the turn. */
  finalMs?: number;
  firstPieceMs?: number;
  firstPhraseMs?: number;
  firstAudioMs?: number;
  /** The assistant's first sound at the caller. */
  soundMs?: number;
  endedMs?: number;
}

export const GAP_PARTS = ['wait', 'recognition', 'thinking', 'phrase', 'synthesis', 'playing'] as const;
export type GapPart = (typeof GAP_PARTS)[number];

export interface Gap {
  ms: number;
  /** In the order of GAP_PARTS; they add up to `ms`. */
  parts: { part: GapPart; ms: number }[];
}

/** The caller's last sound to the assistant's first, or null where one of them is missing. */
export function gapOf(times: TurnTimes): Gap | null {
  const { voiceEndedMs, soundMs } = times;
  if (voiceEndedMs === undefined || soundMs === undefined) return null;
  const marks = [
    times.endpointMs,
    times.finalMs,
    times.firstPieceMs,
    times.firstPhraseMs,
    times.firstAudioMs,
    soundMs,
  ];
  let before = voiceEndedMs;
  const parts = GAP_PARTS.map((part, i) => {
    const mark = Math.max(before, Math.min(soundMs, marks[i] ?? before));
    const ms = mark - before;
    before = mark;
    return { part, ms };
  });
  return { ms: soundMs - voiceEndedMs, parts };
}
