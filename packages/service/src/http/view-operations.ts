/** Watching a talk that goes on: a link that only shows, its events, and live WebVTT. */
import type { Request, Response } from 'express';
import { webVtt, cuesOf, type Cue } from '@verbalon/core';
import { NewView, ViewLink, WaitingCallers, type WatchedEvent } from '@verbalon/protocol';
import { mustHave, type Visitor } from '../access/visitor.js';
import { ProblemError } from '../problems/problems.js';
import { EXAMPLE_IDS } from './example-ids.js';
import { idOf } from './conversation-operations.js';
import type { HttpHost } from './host.js';
import { bodyOf, type Operation } from './operation.js';

const USUAL_SECONDS = 3_600;
/** Something is sent at least so often, so that nobody between takes the connection for dead, in ms. */
const ALIVE_MS = 15_000;
/** A watcher that does not read is let go with this much waiting, in bytes. */
const MOST_UNREAD = 500_000;

export function viewOperations({ watchLinks, personDesk }: HttpHost): Operation[] {
  /** Writes what a watcher is told until the talk, the link or the watcher is gone. */
  const follow = (
    request: Request,
    response: Response,
    write: (event: WatchedEvent) => string,
    alive: string,
  ) => {
    const { call, view } = watchLinks.find(String(request.params.token));
    const send = (text: string) => {
      if (text === '') return;
      if (response.writableLength > MOST_UNREAD) response.destroy();
      else response.write(text);
    };
    const leave = call.watching.join((event) => {
      send(write(event));
      if (event.kind === 'farewell') response.end();
    });
    if (!leave) throw new ProblemError('service-full', 'as many watch this talk as may');
    const timer = setInterval(() => send(alive), ALIVE_MS);
    const letGo = watchLinks.hold(view, () => response.end());
    response.on('close', () => {
      clearInterval(timer);
      letGo();
      leave();
    });
  };
  return [
    {
      method: 'get',
      path: '/v1/waiting',
      id: 'listWaiting',
      scope: 'read',
      summary: 'Callers who want a person, and wait for one now',
      answers: [{ type: 'application/json', schema: WaitingCallers }],
      example: {},
      handle: (_request, response) => void response.json({ waiting: personDesk.list }),
    },
    {
      method: 'post',
      path: '/v1/conversations/{id}/views',
      id: 'makeView',
      scope: 'read',
      summary:
        'A link to a talk that goes on: it shows captions on a screen in the room, or lets somebody join',
      body: NewView,
      answers: [{ type: 'application/json', schema: ViewLink }],
      example: { path: { id: EXAMPLE_IDS.liveTalk }, body: { seconds: 600, may: 'watch' } },
      handle: (request, response) => {
        const { seconds = USUAL_SECONDS, may = 'watch' } = bodyOf(request, NewView);
        if (may !== 'watch') mustHave(response.locals.visitor as Visitor, 'talk');
        const { key } = response.locals.visitor as Visitor;
        const { token, expiresAt } = watchLinks.give(idOf(request), seconds, may, key);
        const page = `/captions/${token}${may === 'watch' ? '' : `?may=${may === 'join' ? 'join' : 'take-over'}`}`;
        response.json({
          page,
          captions: `/v1/views/${token}/captions.vtt`,
          events: `/v1/views/${token}/events`,
          join: may === 'watch' ? null : token,
          expiresAt,
        });
      },
    },
    {
      method: 'get',
      path: '/v1/views/{token}/events',
      id: 'watchTalk',
      scope: 'anyone',
      summary: 'What is said, as it is said: whoever has the link may watch',
      answers: [{ type: 'text/event-stream' }],
      example: { path: { token: EXAMPLE_IDS.viewToken } },
      handle: (request, response) => {
        watchLinks.find(String(request.params.token));
        response.set({ 'content-type': 'text/event-stream', 'cache-control': 'no-store' });
        follow(request, response, (event) => `data: ${JSON.stringify(event)}\n\n`, ': \n\n');
        response.flushHeaders();
      },
    },
    {
      method: 'get',
      path: '/v1/views/{token}/captions.vtt',
      id: 'watchCaptions',
      scope: 'anyone',
      summary: 'Both sides’ words as WebVTT that grows while the talk goes on',
      answers: [{ type: 'text/vtt' }],
      example: { path: { token: EXAMPLE_IDS.viewToken } },
      handle: (request, response) => {
        watchLinks.find(String(request.params.token));
        response.set({ 'content-type': 'text/vtt; charset=utf-8', 'cache-control': 'no-store' });
        response.write(webVtt([]));
        const cues = new LiveCues();
        follow(request, response, (event) => cues.of(event), '\n');
      },
    },
  ];
}

/**
 * Cues of a talk that goes on, without the file's head. Phrases are told before they are played: each begins
 * when the one before is over.
 */
class LiveCues {
  private freeFromMs = 0;

  of(event: WatchedEvent): string {
    if (event.kind === 'hush') this.freeFromMs = 0;
    const cues =
      event.kind === 'final'
        ? cuesOf(event.words, event.by ?? 'Caller')
        : event.kind === 'speech'
          ? this.spoken(event)
          : [];
    return cues.length === 0 ? '' : webVtt(cues).replace(/^WEBVTT\n/, '');
  }

  private spoken({ atMs, words }: Extract<WatchedEvent, { kind: 'speech' }>): Cue[] {
    const from = Math.max(atMs, this.freeFromMs);
    const timed = words.map(({ word, endMs }, i) => ({
      word,
      fromMs: from + (words[i - 1]?.endMs ?? 0),
      toMs: from + endMs,
      confidence: 1,
    }));
    this.freeFromMs = timed.at(-1)?.toMs ?? from;
    return cuesOf(timed, 'Assistant');
  }
}
