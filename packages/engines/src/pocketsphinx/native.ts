/**
 * PocketSphinx through its C interface (Debian's libpocketsphinx3). Used in a host process only: every call
 * blocks.
 */
import koffi from 'koffi';
import type { HeardWord } from '@verbalon/core';
import type { ProfileFiles } from './messages.js';

const FRAME_MS = 10;
/** So many n-best hypotheses are looked at for alternatives. */
const ALTERNATIVES_LOOKED_AT = 12;
const MOST_ALTERNATIVES = 3;
/** `feat_t.cepsize` and `feat_t.cmn_struct` (sphinxbase/feat.h, 64 bit). */
const FEAT_CEPSIZE_AT = 16;
const FEAT_CMN_AT = 88;
const GENERAL = 'general';
const EXPECTED = 'expected';
/**
 * Confidences come in steps of a ten-thousandth (the base of its logarithms is 1.0001), and the last one
 * differs from time to time.
 */
const CONFIDENCE_STEPS = 1_000;

type Pointer = unknown;

const base = koffi.load('libsphinxbase.so.3');
const sphinx = koffi.load('libpocketsphinx.so.3');
const c = {
  configure: base.func('void *cmd_ln_init(void *old, void *defs, int strict, ...)'),
  readModel: base.func('void *ngram_model_read(void *config, const char *file, int type, void *lmath)'),
  retainModel: base.func('void *ngram_model_retain(void *model)'),
  modelSet: base.func(
    'void *ngram_model_set_init(void *config, void **models, const char **names, const float *weights, int n)',
  ),
  mixModels: base.func('void *ngram_model_set_interp(void *set, const char **names, const float *weights)'),
  getMeans: base.func('void cmn_live_get(void *cmn, _Out_ float *means)'),
  setMeans: base.func('void cmn_live_set(void *cmn, const float *means)'),
  exp: base.func('double logmath_exp(void *lmath, int p)'),
  args: sphinx.func('void *ps_args()'),
  init: sphinx.func('void *ps_init(void *config)'),
  lmath: sphinx.func('void *ps_get_logmath(void *ps)'),
  features: sphinx.func('void *ps_get_feat(void *ps)'),
  lookup: sphinx.func('const char *ps_lookup_word(void *ps, const char *word)'),
  addWord: sphinx.func('int ps_add_word(void *ps, const char *word, const char *phones, int update)'),
  setModel: sphinx.func('int ps_set_lm(void *ps, const char *name, void *model)'),
  setPhrases: sphinx.func('int ps_set_kws(void *ps, const char *name, const char *file)'),
  setGrammar: sphinx.func('int ps_set_jsgf_file(void *ps, const char *name, const char *file)'),
  useModel: sphinx.func('int ps_set_search(void *ps, const char *name)'),
  startStream: sphinx.func('int ps_start_stream(void *ps)'),
  startUtterance: sphinx.func('int ps_start_utt(void *ps)'),
  process: sphinx.func(
    'int ps_process_raw(void *ps, const int16_t *data, size_t n, int noSearch, int fullUtterance)',
  ),
  endUtterance: sphinx.func('int ps_end_utt(void *ps)'),
  hypothesis: sphinx.func('const char *ps_get_hyp(void *ps, void *score)'),
  segments: sphinx.func('void *ps_seg_iter(void *ps)'),
  nextSegment: sphinx.func('void *ps_seg_next(void *seg)'),
  segmentWord: sphinx.func('const char *ps_seg_word(void *seg)'),
  segmentFrames: sphinx.func('void ps_seg_frames(void *seg, _Out_ int *from, _Out_ int *to)'),
  segmentProbability: sphinx.func('int ps_seg_prob(void *seg, void *a, void *l, void *b)'),
  best: sphinx.func('void *ps_nbest(void *ps)'),
  nextBest: sphinx.func('void *ps_nbest_next(void *best)'),
  bestText: sphinx.func('const char *ps_nbest_hyp(void *best, void *score)'),
  freeBest: sphinx.func('void ps_nbest_free(void *best)'),
};

/** Language models side by side. The names are held on to: the library keeps pointers to them. */
interface Mix {
  set: Pointer;
  names: string[];
  /** Of all that is expected, beside the general model. */
  weight: number;
}

/** What was asked for: the least weight of all that is expected then, and the share of its answers in it. */
const ASKED_WEIGHT = 0.8;
const ASKED_SHARE = 0.7;
/** A model that does not count: none at all would be the logarithm of nothing. */
const NO_WEIGHT = 1e-5;

function weightsOf({ names, weight }: Mix, asked: string | null): Float32Array {
  const isAsked = asked !== null && names.indexOf(asked) > 1;
  const all = isAsked ? Math.max(weight, ASKED_WEIGHT) : weight;
  const known: Record<string, number> = {
    [GENERAL]: 1 - all,
    [EXPECTED]: isAsked ? all * (1 - ASKED_SHARE) : all,
  };
  return Float32Array.from(names, (name) => known[name] ?? (name === asked ? all * ASKED_SHARE : NO_WEIGHT));
}

const grammarName = (model: string, asked: string) => `${model}:${asked}`;

export interface DecoderOptions {
  /** Folder of the acoustic model, the language model `en-us.lm.bin` and the dictionary. */
  model: string;
}

/** One decoder; one utterance at a time. */
export class Decoder {
  private readonly config: Pointer;
  private readonly ps: Pointer;
  private readonly general: Pointer;
  private readonly firstMeans: Float32Array;
  private startFrame = 0;
  private readonly phraseFiles = new Set<string>();
  private readonly mixes = new Map<string, Mix>();
  private readonly grammars = new Set<string>();

  constructor({ model }: DecoderOptions) {
    const options = {
      '-hmm': `${model}/en-us`,
      '-lm': `${model}/en-us.lm.bin`,
      '-dict': `${model}/cmudict-en-us.dict`,
      '-logfn': '/dev/null',
      '-fwdflat': 'no',
      // Word times must hold: its own detector would cut silence out and shift the words after it.
      '-remove_silence': 'no',
      // Halves the time of decoding at no measured loss.
      '-maxhmmpf': '4000',
      // Asked for words while its table is exactly full it aborts (an assertion of ngram_search_find_exit): a
      // table that no segment fills. Memory is taken only as it is used.
      '-latsize': '500000',
    };
    const words = Object.entries(options).flatMap(([key, value]) => ['str', key, 'str', value]);
    this.config = c.configure(null, c.args(), 1, ...words, 'void *', null);
    this.ps = c.init(this.config);
    if (!this.ps) throw new Error(`PocketSphinx does not start with the model in ${model}`);
    this.general = c.readModel(this.config, options['-lm'], 0, c.lmath(this.ps));
    this.firstMeans = this.means();
    c.startStream(this.ps);
  }

  /** The adaptation state: running means of the cepstrum. */
  means(): Float32Array {
    const features = c.features(this.ps);
    const means = new Float32Array(koffi.decode(features, FEAT_CEPSIZE_AT, 'int') as number);
    c.getMeans(koffi.decode(features, FEAT_CMN_AT, 'void *'), means);
    return means;
  }

  knows(word: string): boolean {
    return c.lookup(this.ps, word) !== null;
  }

  addWord(word: string, phones: string): void {
    if (!this.knows(word)) c.addWord(this.ps, word, phones, 0);
  }

  /**
   * Mixes the small models beside the general one. The weights that `ngram_model_set_init` takes only switch
   * mixing on; what steers it is `ngram_model_set_interp`.
   */
  addModel(name: string, { expected, answers, grammars }: ProfileFiles, weight: number): void {
    const read = (file: string): Pointer => {
      const model: Pointer = c.readModel(this.config, file, 1, c.lmath(this.ps));
      if (!model) throw new Error(`the language model ${file} cannot be read`);
      return model;
    };
    const names = [GENERAL, EXPECTED, ...Object.keys(answers)];
    const models = [c.retainModel(this.general), read(expected), ...Object.values(answers).map(read)];
    const mix = { names, weight, set: null as Pointer };
    mix.set = c.modelSet(this.config, models, names, weightsOf(mix, null), names.length);
    c.mixModels(mix.set, names, weightsOf(mix, null));
    c.setModel(this.ps, name, mix.set);
    this.mixes.set(name, mix);
    for (const [asked, file] of Object.entries(grammars))
      if (c.setGrammar(this.ps, grammarName(name, asked), file) === 0)
        this.grammars.add(grammarName(name, asked));
  }

  /** @param expecting what was asked for: its answers are likelier, or all that is listened for */
  start(model: string | null, means: Float32Array | null, expecting?: string): void {
    c.setMeans(koffi.decode(c.features(this.ps), FEAT_CMN_AT, 'void *'), means ?? this.firstMeans);
    const mix = model === null ? undefined : this.mixes.get(model);
    if (mix && mix.names.length > 2) c.mixModels(mix.set, mix.names, weightsOf(mix, expecting ?? null));
    const grammar = model !== null && expecting !== undefined ? grammarName(model, expecting) : '';
    c.useModel(this.ps, this.grammars.has(grammar) ? grammar : (model ?? '_default'));
    this.begin();
    this.startFrame = -1;
  }

  /**
   * Only phrases are listened for: each that is said is one word. @param file a line for each: the phrase and
   * its threshold
   */
  listenFor(file: string, means: Float32Array | null): void {
    c.setMeans(koffi.decode(c.features(this.ps), FEAT_CMN_AT, 'void *'), means ?? this.firstMeans);
    if (!this.phraseFiles.has(file) && c.setPhrases(this.ps, file, file) < 0)
      throw new Error(`the phrases of ${file} cannot be listened for`);
    this.phraseFiles.add(file);
    c.useModel(this.ps, file);
    this.begin();
    this.startFrame = 0;
  }

  private begin(): void {
    c.startStream(this.ps);
    c.startUtterance(this.ps);
  }

  push(samples: Int16Array): void {
    c.process(this.ps, samples, samples.length, 0, 0);
  }

  /** The text so far: cheap, to see whether anything has changed. */
  text(): string {
    return (c.hypothesis(this.ps, null) as string | null) ?? '';
  }

  end(): void {
    c.endUtterance(this.ps);
  }

  /** Words with times in ms from the first sample of the utterance. */
  words(withConfidence: boolean): HeardWord[] {
    const words: HeardWord[] = [];
    for (let segment: Pointer = c.segments(this.ps); segment; segment = c.nextSegment(segment)) {
      const from = [0];
      const to = [0];
      c.segmentFrames(segment, from, to);
      if (this.startFrame < 0) this.startFrame = from[0]!;
      const word = plain(c.segmentWord(segment) as string);
      if (word === '') continue;
      const confidence = withConfidence
        ? {
            confidence: rounded(
              c.exp(c.lmath(this.ps), c.segmentProbability(segment, null, null, null)) as number,
            ),
          }
        : {};
      words.push({
        word,
        fromMs: (from[0]! - this.startFrame) * FRAME_MS,
        toMs: (to[0]! + 1 - this.startFrame) * FRAME_MS,
        ...confidence,
      });
    }
    return words;
  }

  /** Other readings of the utterance, best first, without the best one. */
  alternatives(best: string): string[] {
    const found = new Set<string>();
    let one: Pointer = c.best(this.ps);
    for (let i = 0; one && i < ALTERNATIVES_LOOKED_AT && found.size < MOST_ALTERNATIVES; i++) {
      const text = ((c.bestText(one, null) as string | null) ?? '')
        .split(/\s+/)
        .map(plain)
        .filter(Boolean)
        .join(' ');
      if (text !== '' && text !== best) found.add(text);
      one = c.nextBest(one);
    }
    if (one) c.freeBest(one);
    return [...found];
  }
}

function rounded(confidence: number): number {
  return Math.min(1, Math.round(confidence * CONFIDENCE_STEPS) / CONFIDENCE_STEPS);
}

/** Without the number of a pronunciation; nothing for silence and noise. */
function plain(word: string): string {
  return /^[<[+]/.test(word) ? '' : word.replace(/\(\d+\)$/, '').trim();
}
