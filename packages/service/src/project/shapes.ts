/** What new files begin as: each talks or can be checked as soon as what is written in capitals is put in. */
import { ERRAND_SHAPES } from './errand-shapes.js';
import type { Shape } from '@verbalon/protocol';

const schema = (name: string) =>
  `# yaml-language-server: $schema=http://127.0.0.1:7464/v1/schemas/${name}.json\n`;

const engine = (name: string, title: string, yaml: string): Shape => ({
  kind: 'engines',
  name,
  title,
  yaml: schema('engine') + yaml,
});

export const SHAPES: readonly Shape[] = [
  {
    kind: 'assistants',
    name: 'answering',
    title: 'An assistant with authored answers',
    yaml: `${schema('assistant')}title: Another assistant
language: en
persona: You answer briefly and kindly.
greeting: Hello. How can I help you?
lineup:
  stt: ears
  llm: answers
  tts: voice
# What callers may say is taken from the answers: local hearing knows it beforehand.
expect: from answers
`,
  },
  {
    kind: 'assistants',
    name: 'thinking',
    title: 'An assistant with a model',
    yaml: `${schema('assistant')}title: Another assistant
language: en
persona: You are a helpful assistant. You answer in one or two short sentences, as one speaks.
# The model opens the talk; the second sentence is said when it cannot.
greeting: { ask: Greet the caller in one short sentence., relief: Hello. How can I help you? }
lineup:
  stt: ears
  llm: mind
  tts: voice
`,
  },
  {
    kind: 'answers',
    name: 'answers',
    title: 'Authored answers',
    yaml: `${schema('answers')}# Patterns: (a|b) one of them, [a] may be left out, <day> one of the values of a slot, ... anything.
# Open slots: <what: words>, <card: digits 4>, <n: count>, <when: date>. In a reply a slot is {day}, or {day|other words}.
title: What it answers
slots:
  day: [Monday, Tuesday, Wednesday, Thursday, Friday, Saturday, Sunday]
answers:
  - when: ['[and] are you open [on <day>]', 'when are you open [on <day>]']
    say: ['{day|Today} we are open from nine to five.']
  - when: ['my card is <card: digits 4>']
    say: ['Thank you. I have noted card {card}.']
# When nothing fits: one of these, or "pass" to a model.
otherwise: ['I am sorry, that I do not know.']
`,
  },
  engine(
    'ears',
    'Local ears (English, no network)',
    `title: Local ears
role: stt
wire: pocketsphinx
where: on-machine
languages: [en]
`,
  ),
  engine(
    'voice',
    'Local voice (English, no network)',
    `title: Local voice
role: tts
wire: flite
where: on-machine
languages: [en]
voices: { clara: slt, ben: rms }
`,
  ),
  engine(
    'espeak',
    'Local voice in many languages (espeak-ng)',
    `title: Local voice of many languages
role: tts
wire: process
where: on-machine
languages: [de, en, fr, es, it, nl, pl, pt, sv]
voices: { usual: de }
command: [espeak-ng, --stdin, --stdout, -v, '{voice}']
send:
  open: ['{text}']
receive:
  form: sound
  encoding: wav
`,
  ),
  engine(
    'answers',
    'Authored answers',
    `title: Authored answers
role: llm
wire: answers
where: on-machine
languages: [en]
answers: answers
`,
  ),
  engine(
    'ears-file',
    'Ears that take a whole file (multipart form)',
    `# A request a segment: a form (RFC 7578) with the sound as a WAV file.
title: Ears by upload
role: stt
wire: http
where: on-machine
languages: [en]
address: http://127.0.0.1:8080/transcribe
# secret: MY_KEY                         # the variable with the key, here or in .env
# headers: { authorization: 'Bearer {secret}' }
send:
  form: parts                            # or whole: the bytes as they are, or "sound:" with {sound} in base64
  encoding: wav                          # wav, flac, pcm16, mulaw or alaw
  rateHz: 16000
  parts:
    - { name: file, file: segment.wav, type: audio/wav }
    - { name: language, value: '{language}' }
receive:
  form: whole
  read:
    - final: { text: /text }             # a JSON Pointer to the words
    - error: { message: /error }
`,
  ),
  engine(
    'ears-stream',
    'Ears that hear while one speaks (WebSocket)',
    `title: Ears by socket
role: stt
wire: socket
where: on-machine
languages: [en]
address: ws://127.0.0.1:8080/listen
send:
  open: [{ language: '{language}', rate: '{rateHz}' }]
  sound: raw                             # or a message around {sound}, which is base64
  rateHz: 16000
  finish: [{ end: true }]
receive:
  form: messages
  read:
    - { when: { /type: partial }, partial: { text: /text } }
    - { when: { /type: final }, final: { text: /text } }
    - { when: { /type: done }, end: true }
`,
  ),
  engine(
    'mind',
    'A model that streams, with functions',
    `title: A model
role: llm
wire: http
where: on-machine
languages: [en]
address: http://127.0.0.1:8080/answer
send:
  roles: { caller: guest, assistant: host, result: outcome }
  open:
    - brief: '{persona}'
      talk:
        each: messages
        item: { by: '{role}', words: '{text}' }
        called: { by: '{role}', words: '{text}', wants: { each: calls, item: { id: '{id}', do: '{name}', with: '{arguments}' } } }
        result: { by: '{role}', id: '{call}', words: '{text}' }
      may: { each: functions, item: { do: '{name}', about: '{about}', with: '{parameters}' } }
receive:
  form: events                           # or lines, whole
  endMark: end
  read:
    - { piece: /text }
    - { has: /want, call: { id: /want/id, name: /want/do, arguments: /want/with } }
    - { usage: { in: /tokens/read, out: /tokens/written } }
    - error: { message: /error }
`,
  ),
  engine(
    'desk',
    'A dialogue system that acts, one whole answer a turn',
    `# It books, counts or remembers: it is asked only for a turn that is over, once.
title: A dialogue system
role: llm
wire: http
where: on-machine
languages: [en]
acts: true
address: http://127.0.0.1:8080/turn
send:
  open: [{ conversation: '{talk}', turn: '{turn}', once: '{request}', text: '{last}' }]
  heard: { path: /heard, message: { once: '{request}', text: '{text}', whole: '{whole}' } }
receive:
  form: whole
  read:
    - { piece: /text }
    - { when: { /over: true }, closes: end }
`,
  ),
  engine(
    'voice-packed',
    'A voice that sends WAV, MP3, Ogg, FLAC or WebM',
    `title: A voice
role: tts
wire: http
where: on-machine
languages: [en]
voices: { usual: NAME }
address: http://127.0.0.1:8080/speak
send:
  open: [{ text: '{text}', voice: '{voice}' }]
receive:
  form: sound                            # the body is the sound; base64 in messages: a rule "sound: /pointer"
  encoding: auto                         # by its first bytes; raw samples: pcm16, with rateHz and channels
`,
  ),
  engine(
    'voice-token',
    'A voice behind a token that is fetched',
    `title: A voice behind a token
role: tts
wire: http
where: cloud
languages: [en]
voices: { usual: NAME }
address: https://voice.example/speak
secret: MY_KEY                           # the variable with the key, here or in .env
headers: { authorization: 'Bearer {token}' }
token:
  post: https://voice.example/token
  headers: { authorization: 'Basic {basic}' }   # the key, or with "user:" name and key
  read: /token
  holdsS: /expires
send:
  open: [{ text: '{text}', voice: '{voice}' }]
receive:
  form: sound
  encoding: auto
`,
  ),
  ...ERRAND_SHAPES,
];

/** @throws Error for a name that is none */
export function shapeOf(kind: Shape['kind'], name: string): Shape {
  const found = SHAPES.find((shape) => shape.kind === kind && shape.name === name);
  if (!found) throw new Error(`there is no shape ${kind}/${name}`);
  return found;
}
