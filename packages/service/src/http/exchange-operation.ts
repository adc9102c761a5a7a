/**
 * `POST /v1/exchange`: as one JSON, as parts of a form, or as server-sent events in the order in which they
 * come.
 */
import type { Request, Response } from 'express';
import { HOUSE_RATE_HZ, joinPcm16, pcm16FromBytes, writeWav } from '@verbalon/core';
import { Exchanged, ExchangeQuery, type ExchangeEvent } from '@verbalon/protocol';
import { definedOnly } from '../talk/call/arrival.js';
import { exchange, type Exchanges } from '../tasks/exchange.js';
import type { HttpHost } from './host.js';
import { abortOf, queryOf, tellEvents, type Operation } from './operation.js';
import { withUpload } from './upload.js';

export function exchangeOperation(host: HttpHost, exchanges: Exchanges): Operation {
  const { project, engines } = host;
  return {
    method: 'post',
    path: '/v1/exchange',
    id: 'exchange',
    scope: 'talk',
    summary:
      'A recording in; what was understood, the answer and its speech out. With the conversation of the answer before it goes on',
    query: ExchangeQuery,
    body: 'sound',
    answers: [
      { type: 'application/json', schema: Exchanged },
      { type: 'multipart/form-data' },
      { type: 'text/event-stream' },
    ],
    example: { query: { format: 'json' }, sound: 'miller-asks' },
    handle: async (request: Request, response: Response) => {
      const { assistant: name, conversation, format } = queryOf(request, ExchangeQuery);
      const assistant = project.assistant(name ?? project.defaultAssistant);
      await withUpload(host, request, async (file) => {
        const voice = definedOnly(assistant.file.voice ?? {});
        const asked = { file, assistant, engines: engines.first(assistant), voice, conversation };
        const events = exchange(asked, exchanges, abortOf(response));
        if (format === 'events') return tellEvents(events, response, 'events');
        const whole = await wholeOf(events);
        if (format === 'parts') return asParts(whole, response);
        response.json({ ...whole.done, speech: Buffer.from(whole.wav).toString('base64') });
      });
    },
  };
}

interface Whole {
  done: Omit<Extract<ExchangeEvent, { kind: 'done' }>, 'kind'>;
  wav: Uint8Array;
}

async function wholeOf(events: AsyncIterable<ExchangeEvent>): Promise<Whole> {
  const parts: Int16Array[] = [];
  let done: Whole['done'] | null = null;
  for await (const event of events) {
    if (event.kind === 'sound') parts.push(pcm16FromBytes(Buffer.from(event.pcm16, 'base64')));
    if (event.kind === 'done') {
      const { conversation, understood, answer, tookMs } = event;
      done = { conversation, understood, answer, tookMs };
    }
  }
  return { done: done!, wav: writeWav([joinPcm16(parts)], HOUSE_RATE_HZ) };
}

async function asParts({ done, wav }: Whole, response: Response): Promise<void> {
  const form = new FormData();
  form.append('exchange', new Blob([JSON.stringify(done)], { type: 'application/json' }), 'exchange.json');
  form.append('speech', new Blob([wav as Uint8Array<ArrayBuffer>], { type: 'audio/wav' }), 'speech.wav');
  const packed = new globalThis.Response(form);
  response.set('content-type', packed.headers.get('content-type')!);
  response.send(Buffer.from(await packed.arrayBuffer()));
}
