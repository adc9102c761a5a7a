/** What the conductor tells, for people: causes become sentences. */
import { inWords, type Cause } from './causes.js';
import type { Told } from './orders.js';
import type { Relief, TurnReport, Wait } from './report.js';

/** The same with its cause as a sentence. */
type InWords<T> = T extends { cause: Cause } ? Omit<T, 'cause'> & { why: string } : T;

export interface ReportInWords extends Omit<TurnReport, 'wait' | 'interrupted' | 'reliefs'> {
  wait: (Pick<Wait, 'ms' | 'probability' | 'growth'> & { reason: string }) | null;
  interrupted: string | null;
  reliefs: InWords<Relief>[];
}

export type ToldInWords = InWords<Exclude<Told, { kind: 'turn' }>> | { kind: 'turn'; report: ReportInWords };

export function toldInWords(told: Told): ToldInWords {
  if (told.kind === 'turn') return { kind: 'turn', report: reportInWords(told.report) };
  return Object.hasOwn(told, 'cause')
    ? whyOf(told as Extract<Told, { cause: Cause }>)
    : (told as ToldInWords);
}

function whyOf<T extends { cause: Cause }>({ cause, ...rest }: T): InWords<T> {
  return { ...rest, why: inWords(cause) } as unknown as InWords<T>;
}

function reportInWords(report: TurnReport): ReportInWords {
  const { wait, interrupted, reliefs } = report;
  return {
    ...report,
    wait: wait && {
      ms: wait.ms,
      reason: inWords(wait.cause),
      ...(wait.probability === undefined ? {} : { probability: wait.probability }),
      ...(wait.growth === undefined ? {} : { growth: wait.growth }),
    },
    interrupted: interrupted && inWords(interrupted),
    reliefs: reliefs.map(whyOf),
  };
}
