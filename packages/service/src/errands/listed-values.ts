/**
 * Values of slots that an address gives: asked for when the service starts and again when they are old; the
 * last ones stay while it is away.
 */
import { atPointer, standinAddress, withSecret } from '@verbalon/engines';
import type { Choice, Stay } from '@verbalon/core';
import type { ListedValues as Listed } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { boundedText } from '../common/bounded-text.js';
import type { WayAround } from '../messages/ways.js';
import type { Project } from '../project/project.js';
import { askOutside } from '../common/ways-out.js';

const USUAL_KEEP_S = 300;
const LOOK_EVERY_MS = 5_000;
const PATIENCE_MS = 5_000;
const MOST_BYTES = 1_000_000;
const MOST_VALUES = 2_000;
const MOST_LETTERS = 200;

export interface ListedOptions {
  project: Project;
  around: WayAround;
  stayOf: (assistant: string) => Stay | null;
  log: Logger;
}

interface Place {
  errand: string;
  slot: string;
  listed: Listed;
}

export class ListedValues {
  private timer: NodeJS.Timeout | undefined;
  /** When each was asked for last, by `ERRAND/SLOT`. */
  private readonly asked = new Map<string, { atMs: number; from: string }>();
  private busy = false;

  constructor(private readonly options: ListedOptions) {}

  /**
   * Resolves when each address has answered, or has had its time: assistants are made ready with what it
   * said.
   */
  async start(): Promise<void> {
    await this.look();
    this.timer = setInterval(() => void this.look(), LOOK_EVERY_MS);
  }

  stop(): void {
    clearInterval(this.timer);
  }

  /** Asks for what is old. */
  private async look(): Promise<void> {
    if (this.busy) return;
    this.busy = true;
    const nowMs = performance.now();
    const old = this.places().filter(({ errand, slot, listed }) => {
      const last = this.asked.get(`${errand}/${slot}`);
      return last?.from !== listed.from || nowMs - last.atMs > (listed.keepS ?? USUAL_KEEP_S) * 1000;
    });
    await Promise.all(old.map((place) => this.ask(place, nowMs)));
    this.busy = false;
  }

  private places(): Place[] {
    return [...this.options.project.errands.files].flatMap(([errand, { slots }]) =>
      Object.entries(slots).flatMap(([slot, { values }]) =>
        values !== undefined && 'from' in values ? [{ errand, slot, listed: values }] : [],
      ),
    );
  }

  /** Never throws: what goes wrong is logged, and what was known stays. */
  private async ask({ errand, slot, listed }: Place, nowMs: number): Promise<void> {
    const { project, around, log } = this.options;
    const key = `${errand}/${slot}`;
    this.asked.set(key, { atMs: nowMs, from: listed.from });
    try {
      const values = await this.fetched(errand, listed, around);
      if (JSON.stringify(project.errands.lists.get(key)) === JSON.stringify(values)) return;
      project.errands.lists.set(key, values);
      await project.readAgain({ what: 'errands', name: errand });
    } catch (error) {
      log.warn(
        { errand, slot, why: (error as Error).message },
        'the values of a slot cannot be had; those that were known stay',
      );
    }
  }

  private async fetched(
    errand: string,
    { from, at = '', headers, secret }: Listed,
    { standins, secrets }: WayAround,
  ): Promise<(string | Choice)[]> {
    const url = new URL(standinAddress(from, standins));
    const stays = this.options.project
      .assistantsDoing(errand)
      .some((name) => this.options.stayOf(name) === 'on-machine');
    const key = secret === undefined ? '' : secrets[secret];
    if (key === undefined) throw new Error(`the variable ${secret} is not set`);
    const answer = await askOutside(stays ? 'on-machine' : null, url, {
      headers: withSecret(headers, key),
      signal: AbortSignal.timeout(PATIENCE_MS),
      redirect: 'manual',
    });
    const text = await boundedText(answer, MOST_BYTES);
    if (!answer.ok) throw new Error(`${url.host} answers ${answer.status}`);
    if (text === null) throw new Error(`${url.host} answers with more than ${MOST_BYTES} bytes`);
    return choicesIn(parsed(text, url.host), at, url.host);
  }
}

function parsed(text: string, host: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw new Error(`what ${host} answers is no JSON`);
  }
}

/** @throws Error for what is no list of values */
function choicesIn(body: unknown, at: string, host: string): (string | Choice)[] {
  const list = atPointer(body, at);
  if (!Array.isArray(list) || list.length === 0)
    throw new Error(`what ${host} answers has no list at "${at}"`);
  if (list.length > MOST_VALUES)
    throw new Error(`${host} gives ${list.length} values; at most ${MOST_VALUES} can be told apart by ear`);
  return list.map((one) => {
    const { value, say, also } = (
      typeof one === 'object' && one !== null ? one : { value: one as unknown }
    ) as Record<string, unknown>;
    if ((typeof value !== 'string' && typeof value !== 'number') || String(value).trim() === '')
      throw new Error(`${JSON.stringify(one)?.slice(0, 100)} is no value: a text, or { value, say, also }`);
    const others = Array.isArray(also) ? also.filter((text): text is string => typeof text === 'string') : [];
    return {
      value: String(value).slice(0, MOST_LETTERS),
      ...(typeof say === 'string' ? { say: say.slice(0, MOST_LETTERS) } : {}),
      also: others.slice(0, 50).map((text) => text.slice(0, MOST_LETTERS)),
    };
  });
}
