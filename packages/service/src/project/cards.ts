/**
 * What a project's engine cards say beyond their schema, and what is to be known of an engine before it is
 * used.
 */
import { Fault, isThisMachine, type EngineFacts, type EngineRole } from '@verbalon/core';
import { hostsOf, isAddress, namesIn } from '@verbalon/engines';
import { EngineCard, JSON_POINTER, type AssistantFile, type WiredCard } from '@verbalon/protocol';
import { insideOf } from './inside.js';
import { parseYaml } from './read-yaml.js';

/** What templates of a role may name, besides the card's own settings. */
const VALUES: Record<EngineRole, readonly string[]> = {
  stt: ['language', 'talk', 'rateHz', 'phrases', 'sound'],
  llm: [
    'persona',
    'talk',
    'language',
    'answerLength',
    'messages',
    'last',
    'role',
    'text',
    'turn',
    'attempt',
    'certain',
    'request',
    'caller',
    'functions',
    'name',
    'about',
    'parameters',
    'calls',
    'id',
    'arguments',
    'argumentsText',
    'call',
    'whole',
  ],
  tts: ['text', 'language', 'talk', 'voice', 'rate', 'ratePercent', 'pitchHz', 'volume'],
};
/** … and what stands for keys, by what the card must say for it. */
const OF_KEYS = { secret: 'secret', basic: 'secret', token: 'token' } as const;
const POINTER = new RegExp(JSON_POINTER);

/** An engine, with other settings than its card says. */
export interface Choice {
  engine: string;
  settings: Record<string, string | number | boolean>;
}

/** The engines of a lineup's role, in order. */
export function choicesOf(lineup: AssistantFile['lineup'], role: EngineRole): Choice[] {
  const listed = lineup[role];
  return (Array.isArray(listed) ? listed : [listed]).map((one) =>
    typeof one === 'string'
      ? { engine: one, settings: {} }
      : { engine: one.engine, settings: one.settings ?? {} },
  );
}

/** The name under which an engine with these settings is known. */
export function nameOf({ engine, settings }: Choice): string {
  const changed = Object.entries(settings).map(([key, value]) => `${key}=${value}`);
  return changed.length === 0 ? engine : `${engine}?${changed.join('&')}`;
}

export function isWired(card: EngineCard): card is WiredCard {
  return card.wire === 'socket' || card.wire === 'http' || card.wire === 'process';
}

/** @throws ProblemError `engine-broken` with file and line */
export function parseCard(yaml: string, path: string): EngineCard {
  const own = (card: EngineCard) => card;
  return parseYaml(yaml, path, EngineCard, 'engine-broken', own, (card) =>
    isWired(card) ? mistakesIn(card) : [],
  );
}

/** What is wrong with a card that fits its schema. */
function mistakesIn(card: WiredCard): Fault[] {
  const found: Fault[] = [];
  const wrong = (path: string, detail: string) => void found.push(new Fault('file-broken', detail, path));
  if (card.wire !== 'process' && !isAddress(card.address))
    wrong('/address', `"${card.address}" is no address that can be asked`);
  checkNames(card, wrong);
  checkSend(card, wrong);
  checkReceive(card, wrong);
  return found;
}

type Wrong = (path: string, detail: string) => void;

/** Names in templates stand for something. */
function checkNames(card: WiredCard, wrong: Wrong): void {
  const taken = Object.keys(card.send.greeted?.take ?? {});
  const known = new Set([...VALUES[card.role], ...Object.keys(card.settings ?? {}), ...taken, 'port']);
  const check = (template: unknown, path: string) => {
    for (const name of namesIn(template)) {
      const key = Object.hasOwn(OF_KEYS, name) ? OF_KEYS[name as keyof typeof OF_KEYS] : null;
      if (key !== null && card[key] === undefined)
        wrong(
          path,
          `{${name}} is used, and there is no "${key}:"${key === 'secret' ? ', which says in which environment variable the key is' : ''}`,
        );
      if (key === null && !known.has(name))
        wrong(
          path,
          `{${name}} stands for nothing; known are ${[...known, ...Object.keys(OF_KEYS)].join(', ')}`,
        );
    }
  };
  for (const [key, template] of Object.entries(card.send)) check(template, `/send/${key}`);
  for (const [name, template] of Object.entries(card.headers ?? {})) check(template, `/headers/${name}`);
  for (const [name, template] of Object.entries(card.query ?? {})) check(template, `/query/${name}`);
  if (card.token) check([card.token.send ?? {}, card.token.headers ?? {}, card.token.post], '/token');
  if (card.wire === 'process') check(card.command, '/command');
  else check(card.address, '/address');
}

/** Keys that belong together, and keys that only one wire or role has. */
function checkSend({ role, wire, send, receive, acts }: WiredCard & { acts?: boolean }, wrong: Wrong): void {
  const isWhole = send.form === 'whole' || send.form === 'parts';
  if (isWhole && role !== 'stt') wrong('/send/form', 'only ears are sent a caller’s sound: leave it out');
  if (isWhole && wire !== 'http') wrong('/send/form', `"${send.form}" is one HTTP request: write wire: http`);
  if (isWhole && receive.form === 'messages')
    wrong('/receive/form', 'an HTTP answer has no messages: write whole, lines or events');
  const files = (send.parts ?? []).filter((part) => 'file' in part).length;
  if (send.form === 'parts' && files !== 1)
    wrong('/send/parts', `exactly one part is the sound, with "file:" for its name; ${files} are`);
  if (send.parts && send.form !== 'parts') wrong('/send/parts', 'parts are sent where form is parts');
  if (send.everyMs !== undefined && !isWhole)
    wrong('/send/everyMs', 'it is for sound that is sent whole: write form: whole, or parts');
  if ((send.encoding === 'wav' || send.encoding === 'flac') && !isWhole)
    wrong('/send/encoding', `${send.encoding} is a whole file: write form: whole, or parts`);
  for (const key of ['greeted', 'protocols', 'connection', 'keepAlive', 'cancel'] as const)
    if (send[key] !== undefined && wire !== 'socket') wrong(`/send/${key}`, 'only a socket has it');
  if (send.connection === 'talk' && !receive.read?.some(({ end }) => end))
    wrong(
      '/send/connection',
      'on a connection that is kept a rule with "end: true" must say where an answer is over',
    );
  if (send.begin && send.connection !== 'talk')
    wrong('/send/begin', 'it is for connection: talk; else write it to open');
  if (send.heard && !acts) wrong('/send/heard', 'it is for an engine that acts: write acts: true');
}

function checkReceive(card: WiredCard, wrong: Wrong): void {
  const { role, receive } = card;
  const rules = receive.read ?? [];
  rules.forEach((rule, i) => {
    for (const pointer of Object.keys(rule.when ?? {}))
      if (!POINTER.test(pointer))
        wrong(`/receive/read/${i}/when`, `"${pointer}" is no JSON Pointer (RFC 6901), such as /type`);
    for (const key of ['call', 'piece', 'partial', 'final', 'sound', 'closes'] as const)
      if (rule[key] !== undefined && !GIVES[role].includes(key))
        wrong(
          `/receive/read/${i}/${key}`,
          `an engine of the role ${role} gives no "${key}"; it gives ${GIVES[role].join(', ')}`,
        );
  });
  if (receive.spoken !== undefined && role !== 'llm') wrong('/receive/spoken', 'it is for models');
  const isSound =
    role === 'tts' && (receive.form === 'sound' || (card.wire === 'socket' && rules.length === 0));
  const [useful, wanted] = USEFUL[role];
  if (!isSound && !rules.some((rule) => rule[useful] !== undefined))
    wrong('/receive', `it reads nothing of use: for ${role} it needs ${wanted}`);
}

/** What rules of a role give. */
const GIVES: Record<EngineRole, readonly string[]> = {
  stt: ['partial', 'final'],
  llm: ['piece', 'call', 'closes'],
  tts: ['sound'],
};
const USEFUL = {
  stt: ['final', 'a rule with "final"'],
  llm: ['piece', 'a rule with "piece"'],
  tts: ['sound', 'form "sound", or a rule with "sound"'],
} as const;

/** May words that this engine heard be put right by their sound? */
export function settlesBySound(card: EngineCard | null | undefined): boolean {
  if (card?.role !== 'stt') return false;
  return card.settle === undefined ? card.wire === 'pocketsphinx' : card.settle === 'by sound';
}

/** What is known of an engine; those that it passes on to count as its own. */
export function factsOf(name: string, cards: ReadonlyMap<string, EngineCard>): EngineFacts {
  const card = cards.get(name)!;
  const { role, where, languages } = card;
  const facts = { name, role, where, languages, hosts: hostsOf(card) };
  const other = card.wire === 'answers' && card.passTo !== undefined ? factsOf(card.passTo, cards) : null;
  if (!other) return facts;
  return {
    ...facts,
    where: other.where === 'cloud' ? 'cloud' : where,
    hosts: [...facts.hosts, ...other.hosts],
  };
}

/**
 * @param folder the project's
 * @throws Fault for a stage that is not there, lies outside the project, or would carry words off the machine
 */
export function checkStages({ stay, stages }: AssistantFile, folder: string): void {
  for (const [name, stage] of Object.entries(stages ?? {})) {
    if (!stage) continue;
    const fail = (what: string): never => {
      throw new Fault('file-broken', `"${stage.at}" ${what}`, `/stages/${name}/at`);
    };
    if (isModule(stage.at)) {
      if (!insideOf(folder, stage.at)) fail('is no file of the project folder');
      continue;
    }
    // A caller's page is told all that passes anyway.
    if (stage.at === AT_PAGE) continue;
    if (!URL.canParse(stage.at)) fail('is no address that can be asked');
    if (stay === 'on-machine' && !isThisMachine(new URL(stage.at).hostname))
      fail('is not on this machine, and this assistant stays on it');
  }
}

/** A JavaScript module of the project, and not an HTTP endpoint or the caller's page. */
export const isModule = (at: string): boolean => at !== AT_PAGE && !/^https?:/.test(at);
/** Where a stage is that the caller's page takes part in. */
export const AT_PAGE = 'page';
