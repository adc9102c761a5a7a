/** From whatever was thrown to what is told of it. */
import { Fault } from '@verbalon/core';
import { EngineFault } from '@verbalon/engines';
import { isProblemCode, ProblemError, type ProblemCode } from './problems.js';

/** What cannot be read of a request, by the names that Express gives it. */
const UNREADABLE: Record<string, string> = {
  'entity.parse.failed': 'its body is not JSON',
  'entity.too.large': 'its body is too large: at most 1 MB is taken, and 4 kB of somebody without a key',
  'encoding.unsupported': 'its body is compressed: send it as it is',
  'charset.unsupported': 'its charset is not known here: send UTF-8',
  'request.aborted': 'it was cut off before all of it had come',
  'request.size.invalid': 'its body is not as long as its content-length says',
};

/** What any error is to whoever asked; one that nobody foresaw is `internal`. */
export function problemFrom(error: unknown): { code: ProblemCode; detail: string; line?: number } {
  if (error instanceof ProblemError)
    return {
      code: error.code,
      detail: error.detail,
      ...(error.line === undefined ? {} : { line: error.line }),
    };
  if ((error instanceof Fault || error instanceof EngineFault) && isProblemCode(error.code))
    return { code: error.code, detail: error.detail };
  const { status, type, code } = (error ?? {}) as { status?: unknown; type?: unknown; code?: unknown };
  if (code === 'ENOSPC') return { code: 'disk-full', detail: 'nothing more can be written' };
  if (typeof status === 'number' && status >= 400 && status < 500)
    return {
      code: 'request-broken',
      detail: UNREADABLE[String(type)] ?? 'its address or its body cannot be read',
    };
  return { code: 'internal', detail: 'see the log' };
}
