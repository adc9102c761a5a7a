/**
 * What the recorded walkers say. Pauses are silences before a saying, in ms; `null` waits for nothing but the
 * time.
 */

export interface Saying {
  /** Silence before it: long enough for Tansy's answer, or short enough to interrupt her. */
  afterMs: number;
  text: string;
}

export interface Walker {
  name: string;
  title: string;
  /** Of the local synthesiser; `german` of the one that knows German. */
  voice: 'rms' | 'awb' | 'slt' | 'german';
  rate: number;
  rateHz: number;
  /** Noise of wind and stove, in dB below the speech; null for a quiet room. */
  noiseDb: number | null;
  sayings: Saying[];
}

export const WALKERS: Walker[] = [
  {
    name: 'miller-asks',
    title: 'Miller asks about the path and the bunks',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 4_600, text: 'Hello Tansy, is the path over the saddle open today?' },
      { afterMs: 8_800, text: 'How many bunks are free at Heron Hut on Saturday?' },
      { afterMs: 5_400, text: 'And at Rowan Hut?' },
      { afterMs: 5_400, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'baker-interrupts',
    title: 'Baker interrupts',
    voice: 'rms',
    rate: 1.05,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 4_600, text: 'Tell me about the huts.' },
      { afterMs: 4_200, text: 'Wait, what time is supper at Lantern Hut?' },
      { afterMs: 5_600, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'fisher-hesitates',
    title: 'Fisher hesitates in mid-sentence',
    voice: 'rms',
    rate: 0.95,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 4_600, text: 'Can you book three bunks' },
      { afterMs: 420, text: 'at Rowan Hut' },
      { afterMs: 480, text: 'for Friday under the name Fisher?' },
      { afterMs: 10_500, text: 'Actually make it four.' },
      { afterMs: 10_500, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'carter-in-the-wind',
    title: 'Carter stands in the wind beside a stove',
    voice: 'rms',
    rate: 1,
    rateHz: 44_100,
    noiseDb: 18,
    sayings: [
      { afterMs: 4_600, text: 'How far is it from Heron Hut to Rowan Hut?' },
      { afterMs: 11_500, text: 'Who is the warden of Saddle Hut?' },
      { afterMs: 4_800, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'walker-on-a-poor-line',
    title: 'A walker on a telephone line of 8 kHz',
    voice: 'rms',
    rate: 1,
    rateHz: 8_000,
    noiseDb: null,
    sayings: [
      { afterMs: 4_600, text: 'When is breakfast at Saddle Hut?' },
      { afterMs: 5_200, text: 'How many bunks are free at Heron Hut on Friday?' },
      { afterMs: 5_400, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'miller-books',
    title: 'Miller books bunks, corrects himself, and says yes',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_600, text: 'I would like to book three bunks at Rowan Hut for Friday.' },
      { afterMs: 4_000, text: 'Under the name Miller.' },
      { afterMs: 9_500, text: 'No, make it four.' },
      { afterMs: 9_500, text: 'Yes please.' },
      { afterMs: 6_500, text: 'What is the weather at Saddle Hut?' },
      { afterMs: 11_000, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'baker-asks-between',
    title: 'Baker asks something else while he books',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_600, text: 'We need two bunks at Lantern Hut.' },
      { afterMs: 4_000, text: 'What time is supper at Lantern Hut?' },
      { afterMs: 7_500, text: 'For Monday.' },
      { afterMs: 4_000, text: 'My name is Baker.' },
      { afterMs: 9_500, text: 'Never mind.' },
      { afterMs: 4_500, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'carter-errs',
    title: 'Carter wants a hut that there is not, and yesterday',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_600, text: 'Can you book a bunk at Eagle Hut for yesterday?' },
      { afterMs: 10_500, text: 'At Heron Hut.' },
      { afterMs: 4_500, text: 'For Sunday.' },
      { afterMs: 4_000, text: 'Carter.' },
      { afterMs: 9_500, text: 'Yes.' },
      { afterMs: 6_000, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'orsk-dictates',
    title: 'Orsk, a warden, dictates a log entry',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_600, text: 'Please write a log entry for Heron Hut.' },
      { afterMs: 4_000, text: 'The water pump handle is loose' },
      { afterMs: 1_300, text: 'and the north window does not close. That is all.' },
      { afterMs: 11_000, text: 'Yes.' },
      { afterMs: 6_000, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'fisher-tells',
    title: 'Fisher tells the party at a hut something, and all wardens later; and thinks better of it',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_600, text: 'Tell the party at Lantern Hut that we will arrive after dark.' },
      { afterMs: 5_000, text: 'From Fisher.' },
      { afterMs: 9_000, text: 'Yes please.' },
      { afterMs: 6_500, text: 'Send a message to all wardens tomorrow at six.' },
      { afterMs: 4_500, text: 'The bridge is closed. That is all.' },
      { afterMs: 5_500, text: 'From Fisher.' },
      { afterMs: 11_000, text: 'Yes.' },
      { afterMs: 8_500, text: 'Cancel the message to all wardens.' },
      { afterMs: 6_000, text: 'Yes.' },
      { afterMs: 4_500, text: 'That is all, goodbye.' },
    ],
  },
  {
    name: 'miller-changes',
    title:
      'Miller books, changes his booking, cancels it, and asks for the warden of a hut that there is not',
    voice: 'rms',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_600, text: 'Please book two bunks at Lantern Hut for Monday under the name Miller.' },
      { afterMs: 10_500, text: 'Yes.' },
      { afterMs: 7_500, text: 'Please change my booking number one two oh one to five bunks.' },
      { afterMs: 8_500, text: 'Yes.' },
      { afterMs: 6_500, text: 'Cancel our booking, the number is one two oh one.' },
      { afterMs: 7_500, text: 'Yes.' },
      { afterMs: 7_000, text: 'Can you put me through to the warden of Eagle Hut?' },
      { afterMs: 9_500, text: 'Of Rowan Hut.' },
    ],
  },
  {
    name: 'weber-fragt',
    title: 'Weber asks in German',
    voice: 'german',
    rate: 1,
    rateHz: 16_000,
    noiseDb: null,
    sayings: [
      { afterMs: 5_000, text: 'Guten Tag, ist der Weg über den Sattel heute offen?' },
      { afterMs: 6_000, text: 'Um wie viel Uhr gibt es Abendessen?' },
      { afterMs: 5_400, text: 'Danke, das war alles.' },
    ],
  },
];
