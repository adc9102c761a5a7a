/**
 * What callers of several assistants say. `tune` is what weights are trained on, `report` what is reported;
 * nobody tuned anything on the assistants that stand under `report` alone. In a template `~` is a place in
 * mid-phrase at which people hesitate, `^` one at which the words so far could be all; `{slot}` is one of the
 * slot's values.
 */
import type { Expected } from '@verbalon/core';

/**
 * How a turn goes on after its pause: a phrase in pieces, a filler, a number or name in pieces, a correction,
 * an afterthought; another sentence.
 */
export type TurnKind = 'whole' | 'broken' | 'filler' | 'pieces' | 'correction' | 'afterthought' | 'told';

export interface Sayings {
  whole: readonly string[];
  special: Record<Exclude<TurnKind, 'whole' | 'broken' | 'told'>, readonly string[]>;
}

export interface Domain {
  slots: Record<string, readonly string[]>;
  sayings: Sayings;
  /** What its assistant expects; null where it expects nothing. */
  expect: Expected | null;
}

const NUMBERS = ['two', 'three', 'four', 'five', 'six', 'seven'];
const DIGITS = ['one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday', 'tomorrow'];
const NAMES = ['Miller', 'Baker', 'Fisher', 'Carter', 'Walker'];

/** A bicycle workshop: tuned on. */
const workshop: Domain = {
  slots: {
    part: ['brake', 'chain', 'front wheel', 'saddle', 'light'],
    day: DAYS,
    number: NUMBERS,
    digit: DIGITS,
    name: NAMES,
  },
  expect: {
    phrases: [
      'is my <part> ready',
      'when can (i|we) (bring|collect) (it|my bicycle)',
      'how much (is|for) a new <part>',
      'do you have a <part>',
      'yes please [on] <day>',
    ],
    slots: { part: ['brake', 'chain', 'front wheel', 'saddle', 'light'], day: DAYS },
  },
  sayings: {
    whole: [
      'Is my {part} ready ~ on {day}?',
      'How much is ~ a new {part}?',
      'I want to bring ~ my bicycle on {day}.',
      'When can I collect ~ it?',
      'The {part} makes a noise when ~ I go down the hill.',
      'Do you have ~ a {part} for ~ a child?',
      'My name is ~ {name}.',
      'Yes please.',
      'I left it with you on ~ {day} because ~ the {part} was broken.',
      'We need ~ {number} of them.',
      'That is very kind.',
      'Could you ring me when ~ it is done?',
    ],
    special: {
      filler: ['I would like, um, ~ a new {part}.', 'Can you, uh, ~ look at the {part}?'],
      pieces: [
        'My number is {digit} {digit} {digit} ~ {digit} {digit} {digit} ~ {digit} {digit}.',
        'It is for ~ {name}.',
      ],
      correction: ['On {day}, no, ~ on {day}.', 'The {part}, I mean ~ the {part}.'],
      afterthought: ['Is it ready ^ on {day}?', 'How much is it ^ with the {part}?'],
    },
  },
};

/** A dentist's, which expects no phrases: tuned on. */
const dentist: Domain = {
  slots: {
    day: DAYS,
    number: NUMBERS,
    digit: DIGITS,
    name: NAMES,
    tooth: ['front tooth', 'back tooth', 'filling', 'gum'],
  },
  expect: null,
  sayings: {
    whole: [
      'I have a pain in ~ my {tooth}.',
      'Can I come ~ on {day} morning?',
      'I would like to move ~ my appointment to ~ {day}.',
      'Is the doctor in ~ on {day}?',
      'It has hurt since ~ {day} and ~ it does not stop.',
      'My daughter has lost ~ a {tooth}.',
      'Do I have to pay ~ for the visit?',
      'No, thank you.',
      'Please send me ~ the bill.',
      'What time do you ~ close?',
      'I am afraid that ~ I cannot come.',
      'The {day} is fine.',
    ],
    special: {
      filler: ['I think it is, um, ~ the {tooth}.', 'Could I, uh, ~ see somebody on {day}?'],
      pieces: [
        'My birthday is the ~ third of ~ May.',
        'It is {digit} {digit} {digit} ~ {digit} {digit} {digit}.',
        'The name is ~ {name}.',
      ],
      correction: ['Make it {day}, sorry, ~ {day}.', 'My {tooth}, no wait, ~ my {tooth}.'],
      afterthought: ['Can I come ^ on {day}?', 'Does it cost much ^ without insurance?'],
    },
  },
};

/** A public library with expected phrases: reported only. */
const library: Domain = {
  slots: {
    book: ['atlas', 'novel', 'cookery book', 'dictionary', 'comic'],
    day: DAYS,
    number: NUMBERS,
    digit: DIGITS,
    name: NAMES,
  },
  expect: {
    phrases: [
      'when are you open [on <day>]',
      '[i would like to] renew (a book|my books)',
      'do you have the <book>',
      'how many books (may|can) i (take|borrow)',
      'is the <book> back',
      '[thank you] goodbye',
    ],
    slots: { book: ['atlas', 'novel', 'cookery book', 'dictionary', 'comic'], day: DAYS },
  },
  sayings: {
    whole: [
      'I would like to renew ~ a book.',
      'When are you open ~ on {day}?',
      'Do you have ~ the {book}?',
      'How many books ~ may I take?',
      'Is the {book} ~ back?',
      'I have lost my card and ~ I need a new one.',
      'Can my son ~ borrow the {book} too?',
      'Please keep the {book} ~ for me until ~ {day}.',
      'What does it cost ~ when a book is late?',
      'I brought {number} books back ~ on {day}.',
      'My card number is ~ {digit} {digit} {digit} {digit}.',
      'No, the {book}.',
      'Is there a room where ~ we can read aloud?',
      'Thank you, goodbye.',
    ],
    special: {
      filler: ['I am looking for, um, ~ a {book}.', 'Could you, uh, ~ tell me when you close?'],
      pieces: [
        'My card is {digit} {digit} ~ {digit} {digit} ~ {digit} {digit}.',
        'The name on it is ~ {name}.',
      ],
      correction: ['I want {number}, no, ~ {number} books.', 'Until {day}, I mean ~ until {day}.'],
      afterthought: ['Are you open ^ on {day}?', 'Can I renew it ^ for {number} weeks?'],
    },
  },
};

/** A town's office, which expects no phrases: reported only. */
const town: Domain = {
  slots: {
    paper: ['passport', 'parking permit', 'birth certificate', 'dog licence'],
    day: DAYS,
    number: NUMBERS,
    digit: DIGITS,
    name: NAMES,
  },
  expect: null,
  sayings: {
    whole: [
      'Where do I apply ~ for a {paper}?',
      'How long does it take to ~ get a {paper}?',
      'Do I have to come ~ in person?',
      'I moved here ~ last month and ~ I have no {paper}.',
      'What do I need ~ to bring?',
      'Is the office open ~ on {day} afternoon?',
      'The street lamp in front of ~ our house is broken.',
      'Who can I speak to about ~ the noise?',
      'I paid for it ~ on {day}.',
      'We are {number} at home.',
      'Can somebody ~ call me back?',
      'Yes, that is right.',
      'My neighbour says that ~ the {paper} is free.',
      'When will the road ~ be repaired?',
    ],
    special: {
      filler: ['I need, um, ~ a {paper}.', 'It is about, uh, ~ the rubbish.'],
      pieces: [
        'My number is {digit} {digit} {digit} ~ {digit} {digit}.',
        'It was issued on the ~ ninth of ~ June.',
      ],
      correction: ['For a {paper}, sorry, ~ a {paper}.', 'On {day}, no, ~ on {day}.'],
      afterthought: ['Can I pay ^ by card?', 'Is it open ^ on {day}?'],
    },
  },
};

export const OTHER_DOMAINS = { tune: { workshop, dentist }, report: { library, town } } as const;
