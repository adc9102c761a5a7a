/** Watching a talk by a link that only shows: its events, live WebVTT, and what such a link does not tell. */
import { beforeAll, expect, it } from '@jest/globals';
import { callWithRecording } from '@verbalon/client/node';
import type { ViewLink, WatchedEvent } from '@verbalon/protocol';
import { patientWalker, until } from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

let service: SharedService;
beforeAll(async () => {
  service = await sharedDemo();
}, 120_000);

/** What comes at an address, as it comes. */
function follow(path: string): { text: () => string; over: Promise<void> } {
  let text = '';
  const read = async () => {
    const answer = await fetch(new URL(path, service.address));
    const decoder = new TextDecoder();
    for await (const part of answer.body as unknown as AsyncIterable<Uint8Array>)
      text += decoder.decode(part, { stream: true });
  };
  return { text: () => text, over: read() };
}

const eventsIn = (text: string) =>
  text
    .split('\n')
    .flatMap((line) => (line.startsWith('data: ') ? [JSON.parse(line.slice(6)) as WatchedEvent] : []));

it('shows what is said while it is said, and nothing that is private', async () => {
  let given!: (link: ViewLink) => void;
  const link = new Promise<ViewLink>((resolve) => (given = resolve));
  const call = callWithRecording({
    address: service.address,
    ...patientWalker('miller-asks', 14),
    onMessage: (message) => {
      if (message.kind === 'admitted')
        void service.http.view(message.conversation, { seconds: 600 }).then(given);
    },
  });
  const { events, captions, page, expiresAt } = await link;
  expect(page).toMatch(/^\/captions\/[\w-]{24}$/);
  expect(Date.parse(expiresAt) - Date.now()).toBeLessThanOrEqual(600_000);
  const [seen, vtt] = [follow(events), follow(captions)];
  await until(() => eventsIn(seen.text()).some(({ kind }) => kind === 'final'));
  // Whoever comes later is told what was said before.
  const late = follow(events);
  await until(() => eventsIn(late.text()).some(({ kind }) => kind === 'final'));
  const { messages } = await call;
  await Promise.all([seen.over, vtt.over, late.over]);
  const all = eventsIn(seen.text());
  const of = (kind: string) => messages.filter((one) => one.kind === kind).length;
  for (const kind of ['partial', 'final', 'speech'])
    expect(all.filter((one) => one.kind === kind).length).toBeGreaterThanOrEqual(of(kind) - 1);
  expect(all.at(-1)!.kind).toBe('farewell');
  const heard = all.flatMap((one) => (one.kind === 'heard' ? [one] : []));
  expect(heard.length).toBeGreaterThan(10);
  expect(Math.max(...heard.map(({ levelDb }) => levelDb))).toBeGreaterThan(-30);
  expect(new Set(all.map(({ kind }) => kind))).toEqual(
    new Set(['state', 'voice', 'partial', 'final', 'speech', 'heard', 'farewell']),
  );
  const { token } = messages.find((one) => one.kind === 'admitted')!;
  expect(seen.text()).not.toContain(token);
  expect(vtt.text()).toMatch(/^WEBVTT\n\n/);
  expect(vtt.text()).toMatch(/<v Caller>Hello Tansy/);
  expect(vtt.text()).toMatch(/<v Assistant>Yes, the path over/);
  const over = await fetch(new URL(events, service.address));
  expect(over.status).toBe(410);
});

it('a link that nobody gave shows nothing, and there is none for a talk that is over', async () => {
  const answer = await fetch(new URL('/v1/views/nobodygavethis/events', service.address));
  expect(answer.status).toBe(404);
  expect(await answer.json()).toMatchObject({ code: 'view-unknown' });
  const gone = service.http.view('00000000-0000-4000-8000-000000000000');
  await expect(gone).rejects.toMatchObject({ problem: { code: 'talk-over' } });
});
