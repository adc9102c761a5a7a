/** Ends a command with what is wrong and what to do, in plain words. */
import { Fault } from '@verbalon/core';
import { ServiceError } from '@verbalon/client';
import { ProblemError, PROBLEMS } from '@verbalon/service';

const SOUND_REMEDIES: Record<string, string> = {
  'sound-empty': 'Record it again, or name another file.',
  'sound-not-wav': 'Convert it to WAV first, for example with: sox FILE out.wav',
  'sound-cut-short': 'The recording was not written to its end: copy or record it again.',
  'sound-format-unknown': 'Convert it to 16-bit PCM, for example with: sox FILE -b 16 out.wav',
  'sound-rate-out-of-range':
    'Convert it to a rate from 8,000 to 192,000 Hz, for example with: sox FILE -r 16000 out.wav',
};

/** What went wrong as `code: words` and a remedy; what nobody foresaw is passed on. */
export function describe(error: unknown): { code: string; words: string; remedy: string } {
  if (error instanceof ServiceError) {
    const { code, title, detail, remedy } = error.problem;
    return { code, words: `${title}: ${detail}`, remedy };
  }
  if (error instanceof ProblemError)
    return { code: error.code, words: error.message, remedy: PROBLEMS[error.code].remedy };
  if (error instanceof Fault) {
    return {
      code: error.code,
      words: `The sound cannot be used: ${error.detail}`,
      remedy: SOUND_REMEDIES[error.code] ?? '',
    };
  }
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT')
    return { code: 'file-missing', words: `There is no such file: ${message}`, remedy: 'Check its name.' };
  throw error;
}

export function complain(error: unknown): never {
  const { code, words, remedy } = describe(error);
  process.stderr.write(`verbalon: ${words} [${code}]\n${remedy === '' ? '' : `→ ${remedy}\n`}`);
  process.exit(1);
}
