/**
 * Relief: every fault of a cloud, for every role, in turns of their own. What was heard, written and spoken
 * must be what it is without a fault, word by word; no turn may be lost.
 */
import { alignWords, comparableWords, countErrors, HOUSE_RATE_HZ, percentile } from '@verbalon/core';
import { sayings } from '../common/stage.js';
import { quickTurn, type QuickTurn, type What } from '@verbalon/hostile';
import { clouds, type Clouds } from './clouds.js';

const TURNS = 20;
const SEED = 12;
/** A line may be 5 s ahead of real time. */
const MOST_SAMPLES = 3 * HOUSE_RATE_HZ;
type Role = 'stt' | 'llm' | 'tts';
const ENGINES = { stt: 'alder-ears', llm: 'alder-mind', tts: 'alder-voice' } as const;

/** `after`: the fault shows after so many pieces of the answer. */
const FAULTS: { kind: string; after: number; roles: Role[] }[] = [
  { kind: 'refuse', after: 0, roles: ['stt', 'llm', 'tts'] },
  { kind: 'key', after: 0, roles: ['stt', 'llm', 'tts'] },
  { kind: 'busy', after: 0, roles: ['stt', 'llm', 'tts'] },
  { kind: 'broken', after: 0, roles: ['stt', 'llm', 'tts'] },
  { kind: 'stall', after: 0, roles: ['stt', 'llm', 'tts'] },
  { kind: 'stall', after: 3, roles: ['stt', 'llm', 'tts'] },
  { kind: 'cut', after: 3, roles: ['stt', 'llm', 'tts'] },
  { kind: 'garbage', after: 3, roles: ['stt', 'llm', 'tts'] },
  { kind: 'slow', after: 1, roles: ['stt', 'llm', 'tts'] },
  { kind: 'late-partials', after: 0, roles: ['stt'] },
  { kind: 'double-partials', after: 0, roles: ['stt'] },
];

const QUESTIONS = [
  'Is the path over the saddle open today?',
  'What time is supper at Heron Hut?',
  'Who is the warden of Saddle Hut?',
  'How many bunks are free at Heron Hut on Saturday?',
];

export async function reliefBench(roles: readonly Role[] = ['stt', 'llm', 'tts']): Promise<object> {
  const place = await clouds();
  const said = sayings(['miller-asks', 'baker-interrupts']).filter(
    ({ samples }) => samples.length < MOST_SAMPLES,
  );
  const whats = (role: Role): What[] => (role === 'stt' ? said : QUESTIONS.map((text) => ({ text })));
  const rows: object[] = [];
  for (const role of roles) {
    const plain: QuickTurn[] = [];
    for (const what of whats(role)) plain.push(await quickTurn(place.service.address, what));
    const plainMs = percentile(
      plain.flatMap(({ firstSoundMs }) => firstSoundMs ?? []),
      0.5,
    );
    for (const { kind, after, roles } of FAULTS)
      if (roles.includes(role)) rows.push(await row(place, role, kind, after, plain, whats(role), plainMs));
  }
  await place.end();
  return { seed: SEED, turns: TURNS, rows };
}

async function row(
  place: Clouds,
  role: Role,
  kind: string,
  after: number,
  plain: readonly QuickTurn[],
  whats: readonly What[],
  plainMs: number,
): Promise<object> {
  const guard = place.service.engines.get(ENGINES[role]).guard;
  const deadlineMs = after > 0 && role !== 'stt' ? guard.deadlines().betweenMs : guard.deadlines().firstMs;
  let [lost, missing, repeated, relieved] = [0, 0, 0, 0];
  const added: number[] = [];
  for (let i = 0; i < TURNS; i++) {
    await mend(place, role);
    await place.panel('alder', 'POST', { role, kind, after, times: 1 });
    const turn = await quickTurn(place.service.address, whats[i % whats.length]!).catch(() => null);
    if (!turn) {
      lost++;
      continue;
    }
    const { errors, text } = compared(role, plain[i % plain.length]!, turn);
    missing += errors.deleted + errors.substituted;
    repeated += errors.inserted;
    if (text === '') lost++;
    relieved += turn.report.reliefs.filter((one) => one.role === role).length > 0 ? 1 : 0;
    if (turn.firstSoundMs !== null) added.push(turn.firstSoundMs - plainMs);
  }
  await place.panel('alder', 'DELETE');
  const ms = (share: number) => Math.round(percentile(added, share));
  return {
    role,
    fault: after > 0 ? `${kind} after ${after}` : kind,
    turns: TURNS,
    lost,
    wordsMissing: missing,
    wordsRepeated: repeated,
    relieved,
    deadlineMs: Math.round(deadlineMs),
    addedMs: { p50: ms(0.5), p95: ms(0.95) },
  };
}

/** The engine is used again, as if it had rested and answered. */
async function mend(place: Clouds, role: Role): Promise<void> {
  await place.panel('alder', 'DELETE');
  const { engines } = place.service;
  engines.get(ENGINES[role]).guard.health.succeeded();
  engines.health.look();
}

function compared(role: Role, plain: QuickTurn, turn: QuickTurn) {
  const textOf = ({ report }: QuickTurn) =>
    role === 'stt' ? report.spoken : role === 'llm' ? report.generated : report.heard;
  const [should, is] = [comparableWords(textOf(plain)), comparableWords(textOf(turn))];
  return { errors: countErrors(alignWords(should, is)), text: textOf(turn) };
}
