/**
 * PocketSphinx through its C interface (Debian's libpocketsphinx3). Used in a host process only: every call
 * blocks.
 */
import koffi from 'koffi';
import type { Stretch } from '@verbalon/core';
import type { ProfileFiles } from './messages.js';

const FRAME_MS = 10;
/** So many n-best hypotheses are looked at for alternatives. */
const ALTERNATIVES_LOOKED_AT = 12;
const MOST_ALTERNATIVES = 3;
/** `feat_t.cepsize` and `feat_t.cmn_struct` (sphinxbase/feat.h, 64 bit). */
const FEAT_CEPSIZE_AT = 16;
const FEAT_CMN_AT = 88;
/** At the end its scores come from a lattice, in another unit (SENSCR_SHIFT). */
const FIT_OF_LATTICE = 1_024;
/** Grammars that are kept ready: each takes a few MB. */
const MOST_GRAMMARS = 16;
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
  forgetModel: sphinx.func('int ps_unset_search(void *ps, const char *name)'),
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
  segmentProbability: sphinx.func('int ps_seg_prob(void *seg, _Out_ int *acoustic, void *l, void *b)'),
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

/** What both decoders have; one utterance at a time. */
abstract class Decoder {
  protected readonly config: Pointer;
  protected readonly ps: Pointer;
  private readonly firstMeans: Float32Array;
  /** Of the utterance; negative until it is known. */
  protected startFrame = -1;

  /** @param model folder of the acoustic model and its dictionary */
  constructor(model: string, options: Readonly<Record<string, string>>) {
    const all = {
      '-hmm': `${model}/en-us`,
      '-logfn': '/dev/null',
      // Word times must hold: its own detector would cut silence out and shift the words after it.
      '-remove_silence': 'no',
      // Else each decoder measures the sound against what it has in mind itself, and nothing can be compared.
      '-compallsen': 'yes',
      ...options,
    };
    const words = Object.entries(all).flatMap(([key, value]) => ['str', key, 'str', value]);
    this.config = c.configure(null, c.args(), 1, ...words, 'void *', null);
    this.ps = c.init(this.config);
    if (!this.ps) throw new Error(`PocketSphinx does not start with the model in ${model}`);
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

  /** @param phones in ARPAbet, each a way to say it; the first is the usual one */
  addWord(word: string, phones: readonly string[]): void {
    if (this.knows(word)) return;
    phones.forEach((one, i) => c.addWord(this.ps, i === 0 ? word : `${word}(${i + 1})`, one, 0));
  }

  /** An utterance begins. @param means what the talk has adapted to; null to begin like new */
  protected begin(means: Float32Array | null): void {
    c.setMeans(koffi.decode(c.features(this.ps), FEAT_CMN_AT, 'void *'), means ?? this.firstMeans);
    c.startStream(this.ps);
    c.startUtterance(this.ps);
    this.startFrame = -1;
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

  /** What was heard so far, in ms from the first sample of the utterance. @param unit of the fits */
  protected stretchesBy(unit: number, withConfidence: boolean): Stretch[] {
    const all: Stretch[] = [];
    for (let segment: Pointer = c.segments(this.ps); segment; segment = c.nextSegment(segment)) {
      const from = [0];
      const to = [0];
      const acoustic = [0];
      c.segmentFrames(segment, from, to);
      // A grammar has places between words that last no time.
      if (from[0]! < 0 || to[0]! < from[0]!) continue;
      if (this.startFrame < 0) this.startFrame = from[0]!;
      const probability: unknown = c.segmentProbability(segment, acoustic, null, null);
      all.push({
        word: plain(c.segmentWord(segment) as string),
        fromMs: (from[0]! - this.startFrame) * FRAME_MS,
        toMs: (to[0]! + 1 - this.startFrame) * FRAME_MS,
        fit: acoustic[0]! / unit,
        ...(withConfidence ? { confidence: rounded(c.exp(c.lmath(this.ps), probability) as number) } : {}),
      });
    }
    return all;
  }
}

/** Hears any words. */
export class OpenDecoder extends Decoder {
  private readonly general: Pointer;
  private readonly phraseFiles = new Set<string>();
  private readonly mixes = new Map<string, Mix>();
  private ended = false;

  /** @param model folder of the acoustic model, the language model `en-us.lm.bin` and the dictionary */
  constructor(model: string) {
    const languageModel = `${model}/en-us.lm.bin`;
    super(model, {
      '-lm': languageModel,
      '-dict': `${model}/cmudict-en-us.dict`,
      '-fwdflat': 'no',
      // Halves the time of decoding at no measured loss.
      '-maxhmmpf': '4000',
      // Asked for words while its table is exactly full it aborts (an assertion of ngram_search_find_exit): a
      // table that no segment fills. Memory is taken only as it is used.
      '-latsize': '500000',
    });
    this.general = c.readModel(this.config, languageModel, 0, c.lmath(this.ps));
  }

  /**
   * Mixes the small models beside the general one. The weights that `ngram_model_set_init` takes only switch
   * mixing on; what steers it is `ngram_model_set_interp`.
   */
  addModel(name: string, { expected, answers }: ProfileFiles, weight: number): void {
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
  }

  /** @param expecting what was asked for: its answers are likelier */
  start(model: string | null, means: Float32Array | null, expecting?: string): void {
    const mix = model === null ? undefined : this.mixes.get(model);
    if (mix && mix.names.length > 2) c.mixModels(mix.set, mix.names, weightsOf(mix, expecting ?? null));
    c.useModel(this.ps, model ?? '_default');
    this.begin(means);
  }

  /**
   * Only phrases are listened for: each that is said is one word. @param file a line for each: the phrase and
   * its threshold
   */
  listenFor(file: string, means: Float32Array | null): void {
    if (!this.phraseFiles.has(file) && c.setPhrases(this.ps, file, file) < 0)
      throw new Error(`the phrases of ${file} cannot be listened for`);
    this.phraseFiles.add(file);
    c.useModel(this.ps, file);
    this.begin(means);
    // Nothing stands before the phrase.
    this.startFrame = 0;
  }

  protected override begin(means: Float32Array | null): void {
    super.begin(means);
    this.ended = false;
  }

  override end(): void {
    super.end();
    this.ended = true;
  }

  /** At the end with confidences. */
  stretches(): Stretch[] {
    return this.stretchesBy(this.ended ? FIT_OF_LATTICE : 1, this.ended);
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

/** Hears what a grammar allows, and nothing else. */
export class ClosedDecoder extends Decoder {
  /** Those that are ready, the last used at the end. */
  private readonly grammars = new Set<string>();

  constructor(model: string) {
    // Its dictionary is what the grammars need.
    super(model, { '-dict': '/dev/null' });
  }

  /**
   * @param file of the grammar, in JSGF; its words were added @returns false where it cannot be used: then
   * nothing is begun
   */
  start(file: string, means: Float32Array | null): boolean {
    if (!this.prepare(file)) return false;
    c.useModel(this.ps, file);
    this.begin(means);
    return true;
  }

  /** @returns false for a grammar that cannot be used */
  prepare(file: string): boolean {
    if (!this.grammars.delete(file)) {
      const [oldest] = this.grammars;
      if (oldest !== undefined && this.grammars.size >= MOST_GRAMMARS) {
        this.grammars.delete(oldest);
        c.forgetModel(this.ps, oldest);
      }
      if (c.setGrammar(this.ps, file, file) < 0) return false;
    }
    this.grammars.add(file);
    return true;
  }

  stretches(): Stretch[] {
    return this.stretchesBy(1, false);
  }
}

function rounded(confidence: number): number {
  return Math.min(1, Math.round(confidence * CONFIDENCE_STEPS) / CONFIDENCE_STEPS);
}

/** Without the number of a pronunciation; nothing for silence and noise. */
function plain(word: string): string {
  return /^[<[+(]/.test(word) ? '' : word.replace(/\(\d+\)$/, '').trim();
}
