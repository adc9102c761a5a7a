/**
 * The files of a project folder: `project.yaml`, `assistants/*.yaml`, `answers/*.yaml`; engine cards stand in
 * engine-card.ts.
 */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { Floor, Interrupt, Wake } from './caller-messages.js';
import { MessageWay } from './contacts-file.js';
import { HandOverFile } from './people.js';
import { PhoneFile } from './phone-file.js';
import { closed, Name, Sentence, SlotValues } from './names.js';
import { AnswerLength } from './service-messages.js';

/** How many talks: at the same time, and in a day (UTC). */
export const TalkLimits = Type.Object(
  {
    talksAtOnce: Type.Optional(Type.Integer({ minimum: 1, maximum: 100_000 })),
    talksADay: Type.Optional(Type.Integer({ minimum: 1, maximum: 10_000_000 })),
  },
  closed,
);
export type TalkLimits = Static<typeof TalkLimits>;

export const ProjectFile = Type.Object(
  {
    title: Sentence,
    /**
     * Where it is, for days and times that callers name: a zone of the IANA database; the machine's own where
     * none is given.
     */
    zone: Type.Optional(Type.String({ pattern: '^[A-Za-z_+-]+(/[A-Za-z0-9_+-]+)*$' })),
    /** The assistant a caller gets who names none. */
    assistant: Name,
    /** What one address may: how many talks, and how many requests a second. */
    limits: Type.Optional(
      Type.Object(
        {
          ...TalkLimits.properties,
          requestsASecond: Type.Optional(Type.Integer({ minimum: 1, maximum: 10_000 })),
        },
        closed,
      ),
    ),
    /**
     * The variables that files of the project may name as secrets; any, where it is left out. Keys of
     * stand-ins are always among them.
     */
    secrets: Type.Optional(Type.Array(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' }), { maxItems: 500 })),
    /** How messages of errands go out, by names of your own: the contacts say where. */
    messages: Type.Optional(Type.Record(Name, MessageWay, { additionalProperties: false })),
    /** Callers by telephone (docs/telephone.md). */
    phone: Type.Optional(PhoneFile),
    /** Who takes over where a caller wants a person. */
    handOver: Type.Optional(HandOverFile),
    /** Processes that the service starts before it and stops after it. */
    standins: Type.Optional(
      Type.Array(
        Type.Object(
          {
            name: Name,
            /** A JavaScript file, from the project folder, and its arguments. */
            start: Type.Array(Type.String(), { minItems: 1 }),
            /** The environment variable with the key it is to know; where it is not set, one is made up. */
            key: Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' })),
            /**
             * It is ready when it prints `ready http://…` on a line; the address is then put for
             * `standin:NAME`.
             */
          },
          closed,
        ),
      ),
    ),
  },
  closed,
);

/** What the assistant says by itself; an empty one is left unsaid. */
const saying = (description: string) => Type.Optional(Type.String({ maxLength: 2_000, description }));
const sayings: TProperties = {
  cannotThink: saying('no answer could be thought of'),
  unheard: saying('there was voice, and no word was understood'),
  unsure: saying('asked back when words are uncertain; {words} is what was understood'),
  again: saying('what was asked back is denied'),
  silence: saying('nobody spoke when it was the caller’s turn'),
  filler: saying('an answer takes long'),
  cannotHear: saying('no engine hears the caller any more'),
  cannotSpeak: saying('kept as sound: no engine speaks any more'),
  tooDear: saying('the budget is used up; the talk closes after it'),
  noPerson: saying('no person takes over, and the assistant comes back'),
  announces: saying(
    'to a person who is asked to take over; {title}, {caller} and {known} stand for what is known',
  ),
  brings: saying('to somebody who is rung with a message; {title}, {text}'),
  backAgain: saying('the person who had taken over has left'),
  recorded: saying('said first by telephone, where the talk is recorded'),
  farewell: saying('goodbye was said; the talk closes after it'),
};

/** The dials of turn-taking, in an assistant's file or by themselves. */
export const MannersFile = Type.Object(
  {
    leewayMs: Type.Optional(Type.Integer({ minimum: 200, maximum: 5_000 })),
    firstWordMs: Type.Optional(
      Type.Integer({ minimum: 0, maximum: 3_600_000, description: 'ms; 0: no limit' }),
    ),
    floor: Type.Optional(Floor),
    askBackBelow: Type.Optional(Type.Number({ minimum: 0, maximum: 1 })),
    speaksFirst: Type.Optional(Type.Union([Type.Literal('assistant'), Type.Literal('caller')])),
    interrupt: Type.Optional(Interrupt),
    important: Type.Optional(
      Type.Array(Type.String({ minLength: 1, maxLength: 200 }), {
        maxItems: 200,
        description: 'words or phrases: a sentence that holds one of them is not interrupted by voice',
      }),
    ),
    headStarts: Type.Optional(
      Type.Integer({
        minimum: 0,
        maximum: 10,
        description: 'so often in a turn may thinking begin before the turn is over; 0: never',
      }),
    ),
    headStartWaste: Type.Optional(
      Type.Number({
        minimum: 0,
        maximum: 1,
        description:
          'share of the thoughts begun ahead that may be for nothing; 0: none is begun; 1: as early as can be',
      }),
    ),
    fillerAfterMs: Type.Optional(
      Type.Integer({
        minimum: 0,
        maximum: 60_000,
        description: 'ms after which a late answer is bridged; 0: never',
      }),
    ),
    followPace: Type.Optional(Type.Boolean()),
    wake: Type.Optional(Wake),
    restAfterMs: Type.Optional(Type.Integer({ minimum: 1_000, maximum: 3_600_000 })),
    answerLength: Type.Optional(AnswerLength),
  },
  closed,
);

const Setting = Type.Union([Type.String(), Type.Number(), Type.Boolean()]);
/** An engine by its name, or with other settings than its card says. */
const EngineChoice = Type.Union([
  Name,
  Type.Object({ engine: Name, settings: Type.Optional(Type.Record(Type.String(), Setting)) }, closed),
]);
const Engines = Type.Union([EngineChoice, Type.Array(EngineChoice, { minItems: 1, maxItems: 8 })]);

const OwnStage = Type.Optional(
  Type.Object(
    {
      /**
       * An HTTP endpoint, a JavaScript module of the project folder, or `page`: the page with the button on
       * it.
       */
      at: Type.String({ pattern: '^(https?://|.+\\.m?js$|page$)' }),
      /** After it the talk goes on without the stage, in ms. */
      deadlineMs: Type.Optional(Type.Integer({ minimum: 10, maximum: 5_000 })),
    },
    closed,
  ),
);

const Tag = Type.String({
  pattern: '^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$',
  description: 'a BCP 47 tag, such as en or de-AT',
});

export const AssistantFile = Type.Object(
  {
    title: Sentence,
    /** BCP 47; for English and German there are rules, in others pauses decide. */
    language: Tag,
    /** Other languages in which it talks, by their tags: a caller's device language chooses. */
    also: Type.Optional(
      Type.Record(
        Type.String({ pattern: '^[a-z]{2,3}$' }),
        Type.Object(
          {
            persona: Type.Optional(Type.String({ minLength: 1, maxLength: 20_000 })),
            greeting: Type.Optional(Sentence),
            sayings: Type.Optional(Type.Object(sayings, closed)),
          },
          closed,
        ),
      ),
    ),
    /** BCP 47, of what the assistant says, where that is another language than it hears. */
    speaks: Type.Optional(Type.String({ pattern: '^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$' })),
    persona: Type.String({ minLength: 1, maxLength: 20_000 }),
    /** A sentence; or what the model is asked to open with, and a sentence for when it cannot. */
    greeting: Type.Optional(Type.Union([Sentence, Type.Object({ ask: Sentence, relief: Sentence }, closed)])),
    /** A few words to be shown beside "listening": what can be asked here. */
    hint: Type.Optional(Type.String({ maxLength: 120 })),
    sayings: Type.Optional(Type.Object(sayings, closed)),
    /** Names as they are written, beside those of the expected phrases. */
    names: Type.Optional(Type.Array(Type.String({ minLength: 1, maxLength: 80 }), { maxItems: 2_000 })),
    /** Heard words with capitals, marks and digits (the default), or as they are spoken. */
    written: Type.Optional(Type.Boolean()),
    /** Which engines serve, in order of preference: the first serves, the others are its relief. */
    lineup: Type.Object({ stt: Engines, llm: Engines, tts: Engines }, closed),
    /** `on-machine`: nothing of this assistant's sound or words leaves the machine. */
    stay: Type.Optional(Type.Literal('on-machine')),
    /** What talks may cost: a warning at a share of it, and an end. */
    budget: Type.Optional(
      Type.Object(
        {
          currency: Type.String({ pattern: '^[A-Z]{3}$' }),
          talk: Type.Optional(Type.Number({ exclusiveMinimum: 0 })),
          day: Type.Optional(Type.Number({ exclusiveMinimum: 0 })),
          warnAt: Type.Optional(Type.Number({ exclusiveMinimum: 0, maximum: 1 })),
        },
        closed,
      ),
    ),
    /** Code of your own between the stages (docs/own-stages.md). */
    stages: Type.Optional(Type.Object({ heard: OwnStage, asked: OwnStage, spoken: OwnStage }, closed)),
    /** What it can do for its callers: files of errands/. */
    errands: Type.Optional(Type.Array(Name, { maxItems: 100 })),
    /** A person can take over. */
    person: Type.Optional(Type.Boolean()),
    /** What a key of a telephone stands for where no digits are asked for: '1': 'when is breakfast'. */
    keys: Type.Optional(
      Type.Record(Type.String({ pattern: '^[0-9]$' }), Type.String({ minLength: 1, maxLength: 200 }), {
        additionalProperties: false,
      }),
    ),
    voice: Type.Optional(
      Type.Object(
        {
          name: Type.Optional(Name),
          /** 1 is the voice's own; 2 is twice as fast. */
          rate: Type.Optional(Type.Number({ minimum: 0.5, maximum: 2 })),
          /** Mean pitch, in Hz. */
          pitchHz: Type.Optional(Type.Number({ minimum: 50, maximum: 400 })),
          /** 1 is the voice's own. */
          volume: Type.Optional(Type.Number({ minimum: 0.05, maximum: 4 })),
        },
        closed,
      ),
    ),
    manners: Type.Optional(MannersFile),
    /**
     * What callers without a key may choose during a talk: engines by role, and languages by their tags,
     * besides its own and `also`.
     */
    callersMaySwap: Type.Optional(
      Type.Object(
        {
          stt: Type.Optional(Type.Array(Name, { maxItems: 20 })),
          llm: Type.Optional(Type.Array(Name, { maxItems: 20 })),
          tts: Type.Optional(Type.Array(Name, { maxItems: 20 })),
          languages: Type.Optional(Type.Array(Tag, { maxItems: 50 })),
        },
        closed,
      ),
    ),
    /** Both sides' sound and words are kept. */
    recorded: Type.Optional(Type.Boolean()),
    /**
     * Pages of these origins, such as `https://huts.example`, may talk to it, and need no key; `standin:NAME`
     * is that of a stand-in.
     */
    origins: Type.Optional(
      Type.Array(Type.String({ pattern: '^(https?://[^/\\s]+|standin:[a-z0-9-]+)$', maxLength: 200 }), {
        maxItems: 20,
      }),
    ),
    limits: Type.Optional(TalkLimits),
    /**
     * What callers are likely to say: `(a|b)` is one of them, `[a]` may be left out, `{slot}` is one of the
     * slot's values.
     */
    expect: Type.Optional(
      Type.Union([
        /** The patterns of the authored answers of its lineup. */
        Type.Literal('from answers'),
        Type.Object(
          {
            /** The patterns of the authored answers of its lineup, beside the phrases. */
            from: Type.Optional(Type.Literal('answers')),
            phrases: Type.Optional(
              Type.Array(Type.String({ minLength: 1, maxLength: 500 }), { maxItems: 2_000 }),
            ),
            slots: Type.Optional(SlotValues),
            /** Share of the expected phrases beside the general language model. */
            weight: Type.Optional(Type.Number({ exclusiveMinimum: 0, exclusiveMaximum: 1 })),
          },
          closed,
        ),
      ]),
    ),
    /** A W3C PLS file beside this one: how words that no dictionary has are pronounced. */
    lexicon: Type.Optional(Type.String({ pattern: '^[A-Za-z0-9._-]+\\.pls$' })),
  },
  closed,
);

/** An answer of an answers file; `then` holds those that may follow it. */
const Answer = Type.Recursive(
  (Self) =>
    Type.Object(
      {
        name: Type.Optional(Name),
        when: Type.Array(Type.String({ minLength: 1, maxLength: 500 }), { minItems: 1, maxItems: 500 }),
        say: Type.Optional(Type.Array(Sentence, { minItems: 1 })),
        like: Type.Optional(Name),
        pass: Type.Optional(Type.Boolean()),
        then: Type.Optional(Type.Array(Self, { minItems: 1 })),
      },
      closed,
    ),
  { $id: 'Answer' },
);

export const AnswersFile = Type.Object(
  {
    title: Sentence,
    /** BCP 47, of the patterns; English by default. */
    language: Type.Optional(Type.String({ pattern: '^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$' })),
    slots: Type.Optional(SlotValues),
    answers: Type.Array(Answer, { minItems: 1, maxItems: 2_000 }),
    /** When nothing fits: sentences, of which one is said, or "pass" to a model. */
    otherwise: Type.Union([Type.Literal('pass'), Type.Array(Sentence, { minItems: 1 })]),
  },
  closed,
);

export type ProjectFile = Static<typeof ProjectFile>;
export type AssistantFile = Static<typeof AssistantFile>;
export type AnswersFile = Static<typeof AnswersFile>;
