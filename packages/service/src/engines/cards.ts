/** What a project's engine cards say beyond their schema, and what is to be known of an engine before it is used. */
import { existsSync } from 'node:fs';
import { basename } from 'node:path';
import { Fault, isThisMachine, type EngineFacts, type EngineRole } from '@verbalon/core';
import { hostsOf, isAddress, namesIn } from '@verbalon/engines';
import {
  EngineCard,
  JSON_POINTER,
  type AssistantFile,
  type ReadRule,
  type WiredCard,
} from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import { insideOf } from '../project/inside.js';
import { parseYaml, readText } from '../project/read-yaml.js';

/** What templates of a role may name, besides the card's own settings. */
const VALUES: Record<EngineRole, readonly string[]> = {
  stt: ['language', 'talk', 'rateHz', 'phrases', 'sound'],
  llm: ['persona', 'talk', 'language', 'answers', 'messages', 'last', 'role', 'text'],
  tts: ['text', 'language', 'voice', 'rate', 'ratePercent', 'pitchHz', 'volume'],
};
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

/** @throws ProblemError `project-broken` with file and line */
export function readCard(path: string): EngineCard {
  if (existsSync(path.replace(/\.yaml$/, '.yml')))
    throw new ProblemError(
      'project-broken',
      `${path}: there is also ${basename(path, '.yaml')}.yml; two cards have one name`,
    );
  return parseYaml(
    readText(path, 'project-broken'),
    path,
    EngineCard,
    'project-broken',
    (card: EngineCard) => {
      if (isWired(card)) checkWired(card);
      return card;
    },
  );
}

/** @throws Fault with the path of what is wrong */
function checkWired(card: WiredCard): void {
  if (card.wire !== 'process' && !isAddress(card.address))
    throw new Fault('file-broken', `"${card.address}" is no address that can be asked`, '/address');
  const known = new Set([...VALUES[card.role], ...Object.keys(card.settings ?? {}), 'secret', 'port']);
  const check = (template: unknown, path: string) => {
    for (const name of namesIn(template)) {
      if (!known.has(name))
        throw new Fault(
          'file-broken',
          `{${name}} stands for nothing; known are ${[...known].join(', ')}`,
          path,
        );
      if (name === 'secret' && card.secret === undefined)
        throw new Fault(
          'file-broken',
          '{secret} is used, and "secret" does not say in which environment variable it is',
          path,
        );
    }
  };
  check(card.send, '/send');
  check(card.headers ?? {}, '/headers');
  if (card.wire === 'process') check(card.command, '/command');
  else check(card.address, '/address');
  const rules = card.receive.read ?? [];
  rules.forEach((rule, i) => {
    for (const pointer of Object.keys(rule.when ?? {}))
      if (!POINTER.test(pointer))
        throw new Fault(
          'file-broken',
          `"${pointer}" is no JSON Pointer (RFC 6901), such as /type`,
          `/receive/read/${i}/when`,
        );
  });
  checkGives(card, rules);
}

/** A card that reads nothing of its role's kind can never work. */
function checkGives(card: WiredCard, rules: readonly ReadRule[]): void {
  const { role, receive } = card;
  const gives = {
    stt: rules.some(({ final }) => final),
    llm: rules.some(({ piece }) => piece !== undefined),
    tts:
      receive.form === 'sound' ||
      (card.wire === 'socket' && card.send.sound === undefined) ||
      rules.some(({ sound }) => sound !== undefined),
  }[role];
  const wanted = {
    stt: 'a rule with "final"',
    llm: 'a rule with "piece"',
    tts: 'form "sound", or a rule with "sound"',
  }[role];
  if (!gives)
    throw new Fault('file-broken', `it reads nothing of use: for ${role} it needs ${wanted}`, '/receive');
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
    if (!URL.canParse(stage.at)) fail('is no address that can be asked');
    if (stay === 'on-machine' && !isThisMachine(new URL(stage.at).hostname))
      fail('is not on this machine, and this assistant stays on it');
  }
}

/** A JavaScript module of the project, and not an HTTP endpoint. */
export const isModule = (at: string): boolean => !/^https?:/.test(at);
