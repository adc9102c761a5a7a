/** One engine at a time: hear a recording, say a sentence, ask a question. */
import type { Response } from 'express';
import { Type } from '@sinclair/typebox';
import {
  addEntry,
  cuesOf,
  HOUSE_RATE_HZ,
  spokenLanguage,
  webVtt,
  withoutCalls,
  writeWav,
  type EngineRole,
} from '@verbalon/core';
import {
  AloudRequest,
  AskAnswer,
  AskRequest,
  CheckRequest,
  EngineCheck,
  EngineSummary,
  Transcript,
  TranscribeQuery,
  TranscriptionEvent,
  VoiceSummary,
} from '@verbalon/protocol';
import { engineSummaries, voiceSummaries } from '../engines/summaries.js';
import type { Assistant } from '../project/events.js';
import type { HttpHost } from './host.js';
import { checkEngine } from '../engines/check.js';
import { ask } from '../tasks/ask.js';
import type { Exchanges } from '../tasks/exchange.js';
import { aloud } from '../tasks/aloud.js';
import { transcribe } from '../tasks/transcribe.js';
import { definedOnly } from '../talk/call/arrival.js';
import { abortOf, bodyOf, queryOf, tellEvents, type Operation } from './operation.js';
import { withUpload } from './upload.js';

export function engineOperations(host: HttpHost, exchanges: Exchanges): Operation[] {
  const { project, engines } = host;
  const assistantOf = (name: string | undefined) => project.assistant(name ?? project.defaultAssistant);
  /** The engine that was asked for, or the assistant's own. */
  const chosen = <R extends EngineRole>(role: R, who: Assistant, engine: string | undefined) =>
    engine === undefined ? engines.first(who)[role] : engines.of(role, engine);
  return [
    {
      method: 'get',
      path: '/v1/engines',
      id: 'listEngines',
      scope: 'read',
      summary: 'The engines in use, and their state',
      answers: [{ type: 'application/json', schema: Type.Array(EngineSummary) }],
      example: {},
      handle: (_request, response) =>
        response.json(engineSummaries(engines, (name) => project.assistantsWith(name, true).length > 0)),
    },
    {
      method: 'post',
      path: '/v1/engines/check',
      id: 'checkEngines',
      scope: 'manage',
      summary:
        'A real round trip with each engine (or those that are named): does it answer, how fast, what is to be done',
      body: CheckRequest,
      answers: [{ type: 'application/json', schema: Type.Array(EngineCheck) }],
      example: { body: { names: ['echo'] } },
      handle: async (request, response) => {
        const { names } = bodyOf(request, CheckRequest);
        const checked = [];
        // One after the other: they are not to slow each other down.
        for (const name of names ?? engines.opened.keys())
          checked.push(await checkEngine(project, engines, name));
        response.json(checked);
      },
    },
    {
      method: 'get',
      path: '/v1/voices',
      id: 'listVoices',
      scope: 'talk',
      summary: 'The voices of the engines in use, and who speaks with them',
      answers: [{ type: 'application/json', schema: Type.Array(VoiceSummary) }],
      example: {},
      handle: (_request, response) => response.json(voiceSummaries(engines, project.list())),
    },
    {
      method: 'post',
      path: '/v1/transcribe',
      id: 'transcribe',
      scope: 'talk',
      summary:
        'The words of a recording (WAV, FLAC, MP3, Ogg or WebM, any rate), as an assistant hears them; format=events reports as it goes on',
      query: TranscribeQuery,
      body: 'sound',
      answers: [
        { type: 'application/json', schema: Transcript },
        { type: 'text/plain' },
        { type: 'text/vtt' },
        { type: 'application/x-ndjson', schema: TranscriptionEvent },
      ],
      example: { query: { format: 'json' }, sound: 'miller-asks' },
      handle: async (request, response) => {
        const { assistant, engine, format } = queryOf(request, TranscribeQuery);
        const who = assistantOf(assistant);
        const signal = abortOf(response);
        await withUpload(host, request, async (file) => {
          const events = transcribe(file, who, chosen('stt', who, engine), signal);
          if (format === 'events') return tellEvents(events, response);
          for await (const event of events)
            if (event.kind === 'done') answerTranscript(event.transcript, format, response);
        });
      },
    },
    {
      method: 'post',
      path: '/v1/aloud',
      id: 'sayAloud',
      scope: 'talk',
      summary: 'A text as sound (16 kHz); Server-Timing tells when its first sound was there, and when all',
      body: AloudRequest,
      answers: [{ type: 'audio/wav' }],
      example: { body: { text: 'Supper is at half past six.', rate: 1.1 } },
      handle: async (request, response) => {
        const { text, assistant, voice: name, engine, ...dials } = bodyOf(request, AloudRequest);
        const who = assistantOf(assistant);
        const voice = { ...who.file.voice, ...dials, ...(name === undefined ? {} : { name }) };
        const said = await aloud(
          text,
          spokenLanguage(who.plan),
          { voice: definedOnly(voice), stay: who.file.stay ?? null, signal: abortOf(response) },
          chosen('tts', who, engine),
        );
        response
          .set(
            'server-timing',
            `first;dur=${said.firstSoundMs.toFixed(1)}, all;dur=${said.tookMs.toFixed(1)}`,
          )
          .type('audio/wav')
          .send(Buffer.from(writeWav([said.samples], HOUSE_RATE_HZ)));
      },
    },
    {
      method: 'post',
      path: '/v1/ask',
      id: 'ask',
      scope: 'talk',
      summary: 'What an assistant’s model answers to a text',
      body: AskRequest,
      answers: [{ type: 'application/json', schema: AskAnswer }],
      example: { body: { text: 'Who is the warden of Saddle Hut?' } },
      handle: async (request, response) => {
        const { text, assistant, engine, messages, conversation, answerLength } = bodyOf(request, AskRequest);
        const who = assistantOf(assistant);
        const llm = chosen('llm', who, engine);
        const kept = exchanges.find(conversation, who.name);
        const before =
          messages ??
          withoutCalls(kept.entries).flatMap(({ role, text: said }) =>
            role === 'result' ? [] : [{ role, text: said }],
          );
        const answer = await ask({ text, before, answerLength }, who, llm, abortOf(response));
        exchanges.keep(
          kept.id,
          who.name,
          addEntry(addEntry(before, 'caller', text), 'assistant', answer.text),
        );
        response.json({ ...answer, conversation: kept.id });
      },
    },
  ];
}

function answerTranscript(transcript: Transcript, format: string | undefined, response: Response): void {
  if (format === 'text') response.type('text/plain').send(`${transcript.text}\n`);
  else if (format === 'vtt')
    response.type('text/vtt').send(webVtt(transcript.segments.flatMap(({ words }) => cuesOf(words))));
  else response.json(transcript);
}
