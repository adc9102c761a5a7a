/** The talk itself, loaded when the button is pressed: sound, socket, and what comes of it in the page. */
import { HttpClient, ServiceError } from '@verbalon/client';
import { NO_MICROPHONE, TalkSession } from '@verbalon/client/browser';
import type { TalkView } from '@verbalon/client';
import workletUrl from '@verbalon/client/worklet?worker&url';
import type { State, Talk, TalkOptions, Told, TokenSource, Wanted } from './contract.js';
import { Dictation } from './dictation.js';
import { FormFilling } from './form-filling.js';

const STATES: Record<TalkView['phase'], State> = {
  resting: 'resting',
  listening: 'listening',
  working: 'thinking',
  answering: 'answering',
};

export async function beginTalk(options: TalkOptions): Promise<Talk> {
  const { service, assistant, floor, caller, field, form, chat } = options;
  const { written, ...hooks } = options.hooks;
  // Fetched while the browser asks for the microphone.
  const token = tokenOf(options.token, service, assistant);
  token.catch(() => undefined);
  const dictation = field && new Dictation(field, written);
  const filling = form && new FormFilling(form, written, (slot, text) => session.write(slot, text));
  const session: TalkSession = new TalkSession({
    address: service,
    workletUrl: new URL(workletUrl, import.meta.url).href,
    arrive: async () => ({
      pass: await token,
      ...(field ? { purpose: 'listen' as const } : {}),
      ...(caller ? { caller } : {}),
    }),
    message: (message) => {
      // Whoever pressed the button wants to be heard at once.
      if (message.kind === 'admitted' && message.floor === 'once') session.press();
      dictation?.take(message);
      filling?.take(message);
      options.message(message);
    },
    hooks: { ...hooks, ...(chat ? { chat } : {}) },
    screen: (wanted) => onPage(wanted, options, filling),
  });
  let noMicrophone: Told['trouble'] = null;
  session.subscribe(() => {
    const told = toldOf(session.view);
    options.told({ ...told, trouble: told.trouble ?? noMicrophone });
  });
  await session.begin({ kind: 'microphone' }, assistant, floor);
  const { trouble } = session.view;
  // Without a microphone one can still type, but not dictate.
  if (trouble?.title === NO_MICROPHONE && !field) {
    noMicrophone = trouble;
    await session.begin({ kind: 'typing' }, assistant, floor);
  }
  return {
    press: () => session.press(),
    release: () => session.release(),
    hush: () => session.hush(),
    type: (text) => session.type(text),
    undo: () => dictation?.undo(),
    end: () => {
      session.end();
      dictation?.settle();
      filling?.end();
    },
  };
}

/** What a visitor reads; whoever owns the page reads more in the browser's console. */
const CANNOT_REACH = 'The assistant can’t be reached right now. Please try again later.';

/**
 * Why this page got no token, for its owner. A browser does not always tell a page: then both reasons are
 * named.
 */
function tellOwner(error: unknown, service: string, assistant: string): void {
  const code = error instanceof ServiceError ? error.problem.code : 'unreachable';
  const letIn = `add "${location.origin}" to "origins" in assistants/${assistant}.yaml.`;
  const why: Record<string, string> = {
    unreachable: `no answer from ${service}. Either it does not run, or it refused this page: then ${letIn}`,
    'origin-foreign': `${service} refused this page: ${letIn}`,
  };
  const what = why[code] ?? `${service} refused this page (${code}). The service's audit says why.`;
  // For the page's owner: a visitor reads a sentence without addresses.
  // eslint-disable-next-line no-console
  console.error(`verbalon: ${what}`);
}

async function tokenOf(
  source: TokenSource | null,
  service: string,
  assistant: string | undefined,
): Promise<string> {
  if (typeof source === 'function') return source();
  if (source !== null) return source;
  try {
    return (await new HttpClient(service).makeToken(assistant === undefined ? {} : { assistant })).token;
  } catch (error) {
    tellOwner(error, service, assistant ?? 'NAME');
    throw new Error(CANNOT_REACH, { cause: error });
  }
}

/** What an errand wants in the page. @returns whether it was done */
async function onPage(
  wanted: Wanted,
  { functions }: TalkOptions,
  filling: FormFilling | null,
): Promise<boolean> {
  const does = wanted.call === undefined ? undefined : functions.get(wanted.call);
  if (does) return (await does(wanted)) !== false;
  const filled = wanted.fill !== undefined && filling !== null && filling.fill(wanted.fill);
  // What is to be shown stands beside the button; an address is opened by the page, or not at all.
  return filled || wanted.show !== undefined;
}

function toldOf(view: TalkView): Told {
  const { connection, phase, trouble, recorded, segments, speeches, typed, floor, wake } = view;
  const turn = speeches.at(-1)?.turn;
  const answer = speeches
    .filter((one) => one.turn === turn)
    .map(({ words }) => words.map(({ word }) => word).join(' '))
    .join(' ')
    .trim();
  const spoken = segments.at(-1);
  const words = spoken ? [spoken.settled, spoken.open].filter(Boolean).join(' ') : (typed.at(-1)?.text ?? '');
  return {
    state: stateOf(connection, phase, trouble),
    floor,
    wakesByVoice: floor === 'open' && wake === 'voice',
    words,
    recorded,
    answer: [answer, view.screen?.show].filter(Boolean).join(' '),
    trouble: trouble && { title: trouble.title, detail: trouble.detail, remedy: trouble.remedy },
  };
}

function stateOf(
  connection: TalkView['connection'],
  phase: TalkView['phase'],
  trouble: TalkView['trouble'],
): State {
  if (connection === 'opening' || connection === 'away') return 'beginning';
  if (connection === 'open') return STATES[phase];
  return trouble ? 'trouble' : 'off';
}
