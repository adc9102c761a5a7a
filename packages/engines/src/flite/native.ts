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
  synthesise: flite.func('void *flite_synth_text(const char *text, void *voice)'),
  wave: flite.func('void *utt_wave(void *utterance)'),
  drop: flite.func('void delete_utterance(void *utterance)'),
  relation: flite.func('void *utt_relation(void *utterance, const char *name)'),
  head: flite.func('void *relation_head(void *relation)'),
  next: flite.func('void *item_next(void *item)'),
  text: flite.func('const char *item_feat_string(void *item, const char *name)'),
  number: flite.func('float ffeature_float(void *item, const char *path)'),
  setFloat: flite.func('void feat_set_float(void *features, const char *name, float value)'),
  openLexicon: lexicon.func('void *cmu_lex_init()'),
  lookup: flite.func('void *lex_lookup(void *lexicon, const char *word, const char *part, void *features)'),
  first: flite.func('void *val_car(void *list)'),
  rest: flite.func('void *val_cdr(void *list)'),
  string: flite.func('const char *val_string(void *value)'),
};

/** Mean pitch of each voice as it comes, in Hz (read off their models), to go back to after another was asked. */
const OWN_PITCH_HZ: Record<string, number> = { rms: 105, awb: 115, slt: 180, kal16: 105 };

export interface Said {
  rateHz: number;
  samples: Int16Array;
  tokens: WordTime[];
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
    const features: Pointer = koffi.decode(voice, VOICE_FEATURES_AT, 'void *');
    c.setFloat(features, 'duration_stretch', 1 / rate);
    c.setFloat(features, 'int_f0_target_mean', pitchHz ?? OWN_PITCH_HZ[name] ?? 110);
    const utterance: Pointer = c.synthesise(text, voice);
    const wave = koffi.decode(c.wave(utterance), Wave) as { rateHz: number; count: number; samples: Pointer };
    const samples = Int16Array.from(
      koffi.decode(wave.samples, koffi.array('int16_t', wave.count, 'Typed')) as Int16Array,
    );
    const tokens: WordTime[] = [];
    for (let item: Pointer = c.head(c.relation(utterance, 'Token')); item; item = c.next(item)) {
      tokens.push({
        word: c.text(item, 'name') as string,
        endMs: Math.round((c.number(item, END_OF_TOKEN) as number) * 1000),
      });
    }
    c.drop(utterance);
    return { rateHz: wave.rateHz, samples, tokens };
  }

  /** ARPAbet without stress, from the dictionary or the letter-to-sound rules; empty for what cannot be said. */
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
