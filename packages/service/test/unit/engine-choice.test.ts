/** Which engines a talk may use while it goes on. */
import { describe, expect, it } from '@jest/globals';
import { pino } from 'pino';
import { EngineChoice } from '../../src/talk/session/engine-choice.js';

const KNOWS: Record<string, string[]> = {
  ears: ['en'],
  mind: ['en', 'de'],
  'other-mind': ['en', 'de'],
  voice: ['en'],
  'german-voice': ['de'],
};

function choice(forbidden: string | null = null, ready: () => Promise<void> = () => Promise.resolve()) {
  const engines = {
    of: (_role: string, name: string) => {
      if (!Object.hasOwn(KNOWS, name)) throw new Error(`"${name}" is not known`);
      return { languages: KNOWS[name] };
    },
    warm: ready,
    prepareEars: ready,
  };
  const plan = {
    language: 'en',
    lineup: { stt: ['ears'], llm: ['mind'], tts: ['voice', 'german-voice'] },
  };
  const project = { whyNot: () => forbidden };
  return new EngineChoice(
    engines as never,
    project as never,
    { file: {} } as never,
    pino({ level: 'silent' }),
    plan as never,
  );
}

describe('another engine', () => {
  it('serves when it is ready, and a change of language afterwards keeps it', async () => {
    const one = choice();
    expect(await one.swap('llm', 'other-mind', true)).toEqual({
      kind: 'swapAsked',
      role: 'llm',
      engine: 'other-mind',
    });
    expect(one.languageSet({ speaks: 'de' }, true)).toEqual({
      kind: 'languageSet',
      hears: 'en',
      speaks: 'de',
      lineup: { stt: ['ears'], llm: ['other-mind', 'mind'], tts: ['german-voice'] },
    });
    // What was set before stays where nothing else is asked for.
    expect(one.languageSet({ hears: 'en-GB' }, true)).toMatchObject({ hears: 'en-GB', speaks: 'de' });
  });

  it('that is not known or not allowed is refused at once', () => {
    expect(() => choice().swap('llm', 'nobody', true)).toThrow('not known');
    expect(() => choice('it runs in a cloud').swap('llm', 'other-mind', true)).toThrow('it runs in a cloud');
  });

  it('of ears that cannot be made ready comes to nothing, and the others hear on', async () => {
    const one = choice(null, () => Promise.reject(new Error('no memory')));
    expect(await one.swap('stt', 'ears', true)).toBeNull();
  });
});

describe('another language', () => {
  it('that no engine of a role knows is refused, and changes nothing', () => {
    const one = choice();
    expect(() => one.languageSet({ speaks: 'fr' }, true)).toThrow(/none knows "fr"/);
    expect(one.languageSet({}, true)).toMatchObject({ hears: 'en', speaks: 'en' });
  });
});
