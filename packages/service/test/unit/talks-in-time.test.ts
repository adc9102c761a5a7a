/**
 * Whole talks of a session in milliseconds: races, relief, budget, drops and outages, with engines and a line
 * of the test's own.
 */
import { describe, expect, it } from '@jest/globals';
import { seeded } from '@verbalon/core';
import { FakeTalk, type Behaviour, type FakeTalkOptions } from '../../../../testing/fake-talk.js';

async function talkOf(how: FakeTalkOptions = {}, saying = 'is the path open'): Promise<FakeTalk> {
  const talk = new FakeTalk(how);
  await talk.pass(100);
  if (saying !== '') await talk.say(saying);
  return talk;
}
const answered = (talk: FakeTalk, turns = 1) => talk.until(() => talk.reports.length >= turns);
const REPLY = 'It is open. Take good boots with you.';

/** The session is over, and nothing of it goes on. */
async function leaveNothing(talk: FakeTalk): Promise<void> {
  talk.session.end('closed');
  // The line says what it had played, to nobody.
  await talk.pass(40);
  expect(talk.open).toEqual([]);
  expect(talk.clock.pending).toBe(0);
}

describe('a talk', () => {
  it('is heard, answered and played, and remembers what was heard', async () => {
    const talk = await talkOf();
    await answered(talk);
    expect(talk.reports[0]).toMatchObject({
      text: 'is the path open',
      heard: REPLY,
      answered: true,
      interrupted: null,
    });
    expect(talk.playedMs).toBeGreaterThanOrEqual(REPLY.split(' ').length * 200);
    await talk.say('and the bridge');
    await answered(talk, 2);
    expect(talk.questions()).toEqual(['is the path open', 'and the bridge']);
    await leaveNothing(talk);
  });

  it('keeps a head start that was right: the model is asked once', async () => {
    const talk = await talkOf({
      manners: { headStarts: 2 },
      plan: { expect: { phrases: ['is the path open'] } },
    });
    await answered(talk);
    expect(talk.questions()).toHaveLength(1);
    expect(talk.reports[0]).toMatchObject({ headStarts: { begun: 1, kept: true }, heard: REPLY });
    expect(talk.booked.filter((one) => one.startsWith('llm'))).toEqual(['llm mind used']);
    await leaveNothing(talk);
  });

  it('that was interrupted remembers only what was played, and asks with it', async () => {
    const talk = await talkOf();
    await talk.until(() => talk.playedMs > 700);
    await talk.say('wait what about the bridge');
    await answered(talk, 2);
    const [first] = talk.reports;
    expect(first!.interrupted).not.toBeNull();
    expect(first!.heard.length).toBeLessThan(REPLY.length);
    expect(REPLY.startsWith(first!.heard)).toBe(true);
    await leaveNothing(talk);
  });

  it('takes its answer up again when what stopped it was nothing', async () => {
    const talk = await talkOf({
      reply: 'The path is open today, and the snow has melted. Take good boots with you.',
    });
    await talk.until(() => talk.playedMs > 500);
    talk.session.happen({ kind: 'voiceBegan', atMs: talk.clock.nowMs() });
    talk.session.happen({ kind: 'voiceGoes', atMs: talk.clock.nowMs(), voicedMs: 700, pitchedMs: 600 });
    expect(talk.told('hush')).toHaveLength(1);
    await talk.pass(100);
    await talk.say('');
    await talk.until(() => talk.reports.length >= 2);
    expect(talk.reports[1]).toMatchObject({ source: 'resumed', interrupted: null });
    expect(talk.reports[1]!.heard).toMatch(/Take good boots with you\.$/);
    await leaveNothing(talk);
  });

  it('asks once whether anybody is there, and then rests', async () => {
    const talk = await talkOf({ manners: { firstWordMs: 3_000, restAfterMs: 9_000 } }, '');
    await talk.until(() => talk.reports.length > 0);
    expect(talk.reports[0]!.source).toBe('silence');
    await talk.pass(10_000);
    expect(talk.reports).toHaveLength(1);
    expect(talk.told('state').at(-1)!.state).toBe('resting');
    await leaveNothing(talk);
  });
});

describe('relief', () => {
  it.each<[string, Record<string, Behaviour>, string]>([
    ['of a model that fails', { mind: 'fails' }, 'llm'],
    ['of a voice that fails', { voice: 'fails' }, 'tts'],
    ['of a voice that fails in a phrase', { voice: 'fails halfway' }, 'tts'],
    ['of ears that fail', { ears: 'fails' }, 'stt'],
  ])('%s loses and repeats no word', async (_what, engines, role) => {
    const talk = await talkOf({ engines });
    await answered(talk);
    expect(talk.reports[0]).toMatchObject({ text: 'is the path open', heard: REPLY, trouble: null });
    expect(talk.told('relieved').every((one) => one.role === role)).toBe(true);
    expect(talk.booked.some((one) => one.endsWith('failed'))).toBe(true);
    await leaveNothing(talk);
  });

  it('of a model that fails halfway goes on after what was cut into phrases', async () => {
    const talk = await talkOf({ engines: { mind: 'fails halfway' } });
    await answered(talk);
    expect(talk.told('relieved')).toMatchObject([{ role: 'llm', from: 'mind', to: 'other-mind' }]);
    expect(talk.reports[0]!.heard.startsWith('It is open.')).toBe(true);
    expect(talk.questions('other-mind')[0]).toBe('It is open.');
    await leaveNothing(talk);
  });

  it('by a hedge: a second model is asked beside a late one, and the late one is cancelled and booked as such', async () => {
    const talk = await talkOf({ engines: { mind: 'late' } });
    await answered(talk);
    const [late, other] = talk.asked.filter(({ role }) => role === 'llm');
    expect([late!.engine, other!.engine]).toEqual(['mind', 'other-mind']);
    expect(late!.signal.aborted).toBe(true);
    expect(talk.booked.filter((one) => one.startsWith('llm')).sort()).toEqual([
      'llm mind cancelled',
      'llm other-mind used',
    ]);
    expect(talk.reports[0]!.heard).toBe(REPLY);
    await leaveNothing(talk);
  });

  it.each<[string, Record<string, Behaviour>, string]>([
    ['no model', { mind: 'fails', 'other-mind': 'fails' }, 'engine-down'],
    ['no ears', { ears: 'fails', 'other-ears': 'fails' }, 'engine-down'],
  ])('where %s is left the caller is told, and the talk goes on', async (_what, engines, code) => {
    const talk = await talkOf({ engines });
    await answered(talk);
    expect(talk.told('trouble').map((one) => one.code)).toContain(code);
    talk.behaviours.mind = talk.behaviours.ears = 'answers';
    await talk.say('is it open now');
    await answered(talk, 2);
    expect(talk.reports[1]).toMatchObject({ text: 'is it open now', heard: REPLY });
    await leaveNothing(talk);
  });

  it('leaves an engine alone that rests, and uses it again afterwards', async () => {
    const talk = await talkOf({}, '');
    talk.session.happen({ kind: 'engineIs', engine: 'mind', resting: 'it is down' });
    await talk.say('is the path open');
    await answered(talk);
    talk.session.happen({ kind: 'engineIs', engine: 'mind', resting: null });
    await talk.say('and now');
    await answered(talk, 2);
    expect(talk.asked.filter(({ role }) => role === 'llm').map(({ engine }) => engine)).toEqual([
      'other-mind',
      'mind',
    ]);
  });
});

describe('commands into the queue', () => {
  it('swap: the next answer is the new engine’s, and a change of language keeps it', async () => {
    const talk = await talkOf();
    talk.session.swap('llm', 'other-mind', true);
    await talk.settle();
    await answered(talk);
    talk.session.setLanguage({ speaks: 'de' }, true);
    await talk.say('and the bridge');
    await answered(talk, 2);
    expect(talk.told('swapped')).toMatchObject([{ role: 'llm', engine: 'other-mind' }]);
    expect(talk.told('languageSet')).toMatchObject([{ hears: 'en', speaks: 'de' }]);
  });

  it('that come while an order is carried out are worked off after it', async () => {
    const order: string[] = [];
    const talk: FakeTalk = new FakeTalk({
      options: {
        record: {
          journal: ({ side, kind }) => {
            order.push(`${side} ${kind}`);
            if (kind === 'think') talk.session.happen({ kind: 'hushAsked' });
          },
          audio: () => undefined,
          turn: () => undefined,
        },
      },
    });
    talk.session.happen({ kind: 'typed', text: 'is it open' });
    const think = order.indexOf('order think');
    expect(order.slice(think + 1).indexOf('happening hushAsked')).toBeGreaterThanOrEqual(0);
    expect(order.lastIndexOf('happening hushAsked')).toBeGreaterThan(order.lastIndexOf('order think'));
    await leaveNothing(talk);
  });
});

describe('money', () => {
  it('that is used up ends the talk after a last sentence, even on a line that does not say what it plays', async () => {
    const talk = await talkOf({ price: 0.4 });
    talk.isMute = true;
    await talk.until(() => talk.closed !== null);
    expect(talk.closed).toMatchObject({ failed: false });
    expect(talk.told('farewell')).toHaveLength(1);
    await leaveNothing(talk);
  });
});

describe('a talk that fails', () => {
  it('takes no other with it', async () => {
    const broken = await talkOf({
      options: {
        record: {
          journal: () => undefined,
          audio: () => undefined,
          turn: () => {
            throw new TypeError('x');
          },
        },
      },
    });
    const sound = await talkOf();
    await broken.until(() => broken.closed !== null);
    await answered(sound);
    expect(broken.closed).toMatchObject({ failed: true });
    expect(sound.reports[0]!.heard).toBe(REPLY);
    expect(broken.open).toEqual([]);
    expect(broken.clock.pending).toBe(0);
  });
});

describe('whatever engines do', () => {
  it('every request ends or is cancelled, is booked once, and no timer is left', async () => {
    const kinds: Behaviour[] = ['answers', 'answers', 'fails', 'fails halfway', 'never answers', 'late'];
    for (let row = 0; row < 25; row++) {
      const random = seeded(row);
      const pick = <T>(among: readonly T[]) => among[Math.floor(random() * among.length)]!;
      const engines = Object.fromEntries(
        ['ears', 'other-ears', 'mind', 'other-mind', 'voice', 'other-voice'].map((name) => [
          name,
          pick(kinds),
        ]),
      );
      const talk = await talkOf({ engines, manners: { headStarts: 2, fillerAfterMs: 700 } });
      for (let step = 0; step < 5; step++) {
        await talk.pass(200 + Math.floor(random() * 1_500));
        const what = Math.floor(random() * 4);
        if (what === 0) await talk.say(pick(['wait', 'mm hm', 'how far is it', '']));
        else if (what === 1) talk.session.happen({ kind: 'typed', text: 'and breakfast' });
        else if (what === 2) talk.session.happen({ kind: 'hushAsked' });
        else talk.session.happen({ kind: 'freshAsked' });
      }
      await leaveNothing(talk);
      const asked = (role: string) => talk.asked.filter((one) => one.role === role).length;
      const booked = (role: string) => talk.booked.filter((one) => one.startsWith(role)).length;
      expect({ row, llm: booked('llm'), stt: booked('stt') }).toEqual({
        row,
        llm: asked('llm'),
        stt: asked('stt'),
      });
      expect(talk.closed?.failed ?? false).toBe(false);
    }
  });
});
