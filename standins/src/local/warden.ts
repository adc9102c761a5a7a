/**
 * A local server as people run them beside their assistant: a dialogue system that answers with one whole
 * sentence.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { options } from '../common/options.js';
import { Panel } from '../common/panel.js';
import { bodyOf, open } from '../common/server.js';
import { knowledgeOf, piecesOf } from '../common/writing.js';
import type { Said } from '../common/answer.js';

const given = options('0');
const panel = new Panel(given.seed, given.limits);
const knowledge = knowledgeOf(given.knowledge);
/** It keeps its own history, by conversation. */
const histories = new Map<string, Said[]>();

async function next(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const told = await panel.begin('llm', true);
  const { text, conversation } = JSON.parse((await bodyOf(request)).toString('utf8')) as {
    text: string;
    conversation: string;
  };
  const talkSoFar: Said[] = [...(histories.get(conversation) ?? []), { by: 'caller', words: text }];
  const say = piecesOf(knowledge, { persona: '', talkSoFar, answerLength: 'short' }).join('');
  histories.set(conversation, [...talkSoFar, { by: 'assistant', words: say }]);
  const then = /\bwarden please|hand me over\b/i.test(text)
    ? 'hand over'
    : /\bgoodbye\b/i.test(text)
      ? 'end'
      : 'go on';
  response.writeHead(200, { 'content-type': 'application/json' });
  response.end(JSON.stringify({ say, then }));
  told.over('finished');
}

open({ panel, port: given.port, http: { 'POST /next': next } });
