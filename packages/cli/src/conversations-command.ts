/** `verbalon conversations`: list, show, export. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceError, type HttpClient } from '@verbalon/client';
import type { Conversation, ConversationSummary, Replayed } from '@verbalon/protocol';
import { parse } from 'yaml';
import { timesOf } from './print-talk.js';
import { terminal } from './terminal.js';
import { service } from './service-address.js';

/** The least part of an id that is taken for one. */
const LEAST_ID_LETTERS = 4;

export async function listConversations({ limit, json }: { limit: number; json?: boolean }): Promise<void> {
  const all = await service().conversations(limit);
  if (json) return void terminal.stdout.write(`${JSON.stringify(all)}\n`);
  if (all.length === 0) terminal.stdout.write('No conversation yet. Begin one with: verbalon talk\n');
  for (const one of all) {
    const { id, startedAt, assistant, line, turns, recorded, ending } = one;
    const when = new Date(startedAt).toISOString().slice(0, 16).replace('T', ' ');
    const kept = recorded ? `${turns} turns` : 'not recorded';
    terminal.stdout.write(
      `${id.slice(0, 8)}  ${when}  ${(assistant ?? '').padEnd(10)} ${line.padEnd(9)} ${kept.padEnd(12)}  ${durationOf(one)}${ending === null ? '  going on' : ''}\n`,
    );
  }
}

function durationOf({ startedAt, endedAt }: ConversationSummary): string {
  if (endedAt === null) return '';
  const seconds = Math.round((Date.parse(endedAt) - Date.parse(startedAt)) / 1000);
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, '0')}`;
}

export async function showConversation(id: string, { json }: { json?: boolean }): Promise<void> {
  const http = service();
  const conversation = await http.conversation(await wholeId(http, id));
  terminal.stdout.write(json ? `${JSON.stringify(conversation)}\n` : textOf(conversation, true));
}

/** What other manners would have changed: the turns as they were and as they would be. */
export async function replayConversation(
  id: string,
  { manners: file, json }: { manners?: string; json?: boolean },
): Promise<void> {
  const http = service();
  const found = await http.replay(await wholeId(http, id), file === undefined ? {} : mannersIn(file));
  terminal.stdout.write(json ? `${JSON.stringify(found)}\n` : replayText(found, file));
}

/** The manners of a file: by themselves, or of an assistant's file. */
function mannersIn(file: string): object {
  const wrong = (detail: string) =>
    new ServiceError({
      code: 'manners-unreadable',
      title: 'The manners cannot be read',
      detail: `${file}: ${detail}`,
      remedy: 'Give a YAML file with manners in it, such as: leewayMs: 400',
    });
  let value: unknown;
  try {
    value = parse(readFileSync(file, 'utf8'));
  } catch (error) {
    throw wrong((error as Error).message);
  }
  if (value === null || typeof value !== 'object') throw wrong('it holds no settings');
  return (value as { manners?: object }).manners ?? value;
}

function replayText({ difference, turns }: Replayed, file: string | undefined): string {
  const lines = [
    difference === null
      ? 'With its own manners it decides exactly as it did.'
      : `With its own manners it now decides otherwise: ${difference}`,
    '',
    `${'turn'.padEnd(42)} ${'was'.padStart(8)}  ${(file === undefined ? 'again' : 'would be').padStart(8)}`,
  ];
  const ms = (value: number | null) => (value === null ? '–' : `${Math.round(value)} ms`).padStart(8);
  for (const { text, was, wouldBe } of turns) {
    lines.push(text.slice(0, 70));
    lines.push(`  ${'waited'.padEnd(40)} ${ms(was.waitMs)}  ${ms(wouldBe.waitMs)}  ${wouldBe.reason}`);
    lines.push(`  ${'caller’s last sound to the answer'.padEnd(40)} ${ms(was.gapMs)}  ${ms(wouldBe.gapMs)}`);
    const starts = ({ headStarts: { begun, kept } }: typeof was) =>
      (begun === 0 ? 'none' : `${begun}${kept ? '' : ', lost'}`).padStart(8);
    lines.push(`  ${'head starts'.padEnd(40)} ${starts(was)}  ${starts(wouldBe)}`);
    if (wouldBe.cutOffs > 0) lines.push(`  the caller would have been cut off ${wouldBe.cutOffs} times`);
  }
  const cut = turns.filter(({ wouldBe }) => wouldBe.cutOffs > 0).length;
  lines.push(
    '',
    `${turns.length} turns, ${cut} of them cut off. What the engines would have answered is not known.`,
  );
  return `${lines.join('\n')}\n`;
}

/** Everything that is kept of a conversation, in open formats, in a folder of its own. */
export async function exportConversation(id: string, { to }: { to?: string }): Promise<void> {
  const http = service();
  const whole = await wholeId(http, id);
  const folder = to ?? `conversation-${whole.slice(0, 8)}`;
  const [conversation, journal, sound, captions] = await Promise.all([
    http.conversation(whole),
    http.journal(whole),
    http.conversationSound(whole),
    http.captions(whole),
  ]);
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'conversation.json'), `${JSON.stringify(conversation, null, 2)}\n`);
  writeFileSync(
    join(folder, 'journal.ndjson'),
    journal.map((entry) => `${JSON.stringify(entry)}\n`).join(''),
  );
  writeFileSync(join(folder, 'audio.wav'), sound);
  writeFileSync(join(folder, 'captions.vtt'), captions);
  writeFileSync(join(folder, 'words.txt'), textOf(conversation, false));
  terminal.stdout.write(`${folder}: conversation.json, journal.ndjson, audio.wav, captions.vtt, words.txt\n`);
}

function textOf(
  { id, assistant, startedAt, ending, recorded, reports, gaps }: Conversation,
  times: boolean,
): string {
  const lines = [`${id}, ${assistant ?? ''}, ${startedAt}; ${ending ?? 'live'}`];
  if (!recorded)
    lines.push(
      `Nothing that was said is kept: write “recorded: true” into assistants/${assistant ?? 'NAME'}.yaml to keep talks from then on.`,
    );
  for (const report of reports) {
    if (report.text !== '') lines.push(`caller     ${report.text}`);
    if (report.heard !== '') lines.push(`${(assistant ?? 'assistant').padEnd(10)} ${report.heard}`);
    if (times) lines.push(...timesOf(report).map((text) => `           ${text}`));
  }
  for (const { what, fromMs, toMs } of gaps) lines.push(`not kept: ${what} from ${fromMs} to ${toMs} ms`);
  return `${lines.join('\n')}\n`;
}

/** An id may be shortened, as `list` does. */
export async function wholeId(http: HttpClient, id: string): Promise<string> {
  if (id.length >= 36) return id;
  const found =
    id.length < LEAST_ID_LETTERS
      ? []
      : (await http.conversations(500)).filter((one) => one.id.startsWith(id));
  if (found.length === 1) return found[0]!.id;
  throw new ServiceError({
    code: 'conversation-unknown',
    title: 'There is no such conversation',
    detail: found.length === 0 ? `none begins with "${id}"` : `"${id}" may be any of ${found.length}`,
    remedy: 'List them with: verbalon conversations',
  });
}
