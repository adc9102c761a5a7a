/** Flite through its C interface (Debian's libflite1). Used in a host process only: every call blocks. */
import koffi from 'koffi';
import type { WordTime } from '@verbalon/core';

type Pointer = unknown;

/** End of a token's last word: its last word's last syllable's last segment. */
const END_OF_TOKEN = 'daughtern.R:SylStructure.daughtern.daughtern.R:Segment.end';
/** `cst_voice.features` (flite/cst_voice.h, 64 bit). */
const VOICE_FEATURES_AT = 8;

/** Held for good: a library that is collected is unloaded, with the voices in it. */
const libraries: unknown[] = [];
function library(name: string): ReturnType<typeof koffi.load> {
  const loaded = koffi.load(name, { global: true });
  libraries.push(loaded);
  return loaded;
}

const flite = library('libflite.so.1');
library('libflite_usenglish.so.1');
const lexicon = library('libflite_cmulex.so.1');
const Wave = koffi.struct('cst_wave', {
  type: 'const char *',
  rateHz: 'int',
  count: 'int',
  channels: 'int',
  samples: 'void *',
});
const c = {
  init: flite.func('int flite_init()'),
  newUtterance: flite.func('void *new_utterance()'),
  initialise: flite.func('void *utt_init(void *utterance, void *voice)'),
  newRelation: flite.func('void *utt_relation_create(void *utterance, const void *name)'),
  append: flite.func('void *relation_append(void *relation, void *item)'),
  setText: flite.func('void item_set_string(void *item, const void *name, const char *value)'),
  setNumber: flite.func('void item_set_float(void *item, const void *name, float value)'),
  synthesise: flite.func('void *utt_synth_tokens(void *utterance)'),
  wave: flite.func('void *utt_wave(void *utterance)'),
  drop: flite.func('void delete_utterance(void *utterance)'),
  number: flite.func('float ffeature_float(void *item, const char *path)'),
  setFloat: flite.func('void feat_set_float(void *features, const void *name, float value)'),
  openLexicon: lexicon.func('void *cmu_lex_init()'),
  lookup: flite.func('void *lex_lookup(void *lexicon, const char *word, const char *part, void *features)'),
  first: flite.func('void *val_car(void *list)'),
  rest: flite.func('void *val_cdr(void *list)'),
  string: flite.func('const char *val_string(void *value)'),
};

/** Flite keeps the pointer to a feature's name, not the name: these are held for good. */
const held = (name: string) => Buffer.from(`${name}\0`, 'latin1');
const NAMES = {
  token: held('Token'),
  name: held('name'),
  whitespace: held('whitespace'),
  before: held('prepunctuation'),
  after: held('punc'),
  stretch: held('local_duration_stretch'),
  shift: held('f0_shift'),
};
/** Mean pitch of each voice, in Hz, measured on its speech: what a wanted pitch is a share of. */
const OWN_PITCH_HZ: Record<string, number> = { rms: 105, awb: 125, slt: 175, kal16: 105 };
/** Marks before and after the letters of a word. */
const WORD = /^([^\p{L}\p{N}]*)(.*?)([^\p{L}\p{N}]*)$/u;

export interface Said {
  rateHz: number;
  samples: Int16Array;
  /** All words as they are written, with the end of each. */
  words: WordTime[];
}

export class Speaker {
  private readonly voices = new Map<string, Pointer>();
  private lexicon: Pointer = null;

  constructor() {
    c.init();
  }

  private voice(name: string): Pointer {
    let voice = this.voices.get(name);
    if (!voice) {
      voice = library(`libflite_cmu_us_${name}.so.1`).func(
        `void *register_cmu_us_${name}(const char *folder)`,
      )(null);
      this.voices.set(name, voice);
    }
    return voice;
  }

  /** `rate` 1 is the voice's own; `pitchHz` null is the voice's own. */
  say(text: string, name: string, rate: number, pitchHz: number | null): Said {
    const voice = this.voice(name);
    const shift = pitchHz === null ? 1 : pitchHz / (OWN_PITCH_HZ[name] ?? 110);
    c.setFloat(koffi.decode(voice, VOICE_FEATURES_AT, 'void *'), NAMES.shift, shift);
    const utterance: Pointer = c.newUtterance();
    c.initialise(utterance, voice);
    const relation: Pointer = c.newRelation(utterance, NAMES.token);
    const written = text.split(/\s+/).filter(Boolean);
    const tokens = written.map((word) => this.token(relation, word, rate));
    c.synthesise(utterance);
    const wave = koffi.decode(c.wave(utterance), Wave) as { rateHz: number; count: number; samples: Pointer };
    const pcm = koffi.decode(wave.samples, koffi.array('int16_t', wave.count, 'Typed')) as Int16Array;
    let endMs = 0;
    const words = written.map((word, i) => {
      if (tokens[i])
        endMs = Math.max(endMs, Math.round((c.number(tokens[i], END_OF_TOKEN) as number) * 1000));
      return { word, endMs };
    });
    const said = { rateHz: wave.rateHz, samples: Int16Array.from(pcm), words };
    c.drop(utterance);
    return said;
  }

  /**
   * One word for flite; null for one that has nothing to be spoken. The rate is set at each word: the voice's
   * own is not heeded by all.
   */
  private token(relation: Pointer, word: string, rate: number): Pointer {
    const [, before = '', name = '', after = ''] = WORD.exec(word) ?? [];
    if (name === '') return null;
    const item: Pointer = c.append(relation, null);
    c.setText(item, NAMES.name, name);
    c.setText(item, NAMES.whitespace, ' ');
    c.setText(item, NAMES.before, before);
    c.setText(item, NAMES.after, after);
    c.setNumber(item, NAMES.stretch, 1 / rate);
    return item;
  }

  /**
   * ARPAbet without stress, from the dictionary or the letter-to-sound rules; empty for what cannot be said.
   */
  phones(word: string): string {
    this.lexicon ??= c.openLexicon();
    const phones: string[] = [];
    for (let list: Pointer = c.lookup(this.lexicon, word, '', null); list; list = c.rest(list)) {
      const phone = (c.string(c.first(list)) as string).replace(/\d$/, '').toUpperCase();
      phones.push(phone === 'AX' ? 'AH' : phone);
    }
    return phones.join(' ');
  }
}
