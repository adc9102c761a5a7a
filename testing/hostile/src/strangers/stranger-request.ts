/**
 * Requests of somebody without a key: what is asked, with which body, for what it would cost if it were read.
 */
import { gzipSync } from 'node:zlib';
import { seeded } from '@verbalon/core';
import { below, pick } from '../common/mutated.js';

/** What 1 kB of a request becomes where it is inflated. */
const NESTED = gzipSync('['.repeat(1_000_000));
const LONG = gzipSync(`{"text":"${'a'.repeat(1_000_000)}"}`);
const GET = [
  '/v1/conversations',
  '/v1/keys',
  '/v1/audit?before=x',
  '/v1/files/engines/desk',
  '/v1/openapi.json',
  '/v1/schemas/__proto__.json',
  '/v1/phone',
  '/v1/recordings/..%2f.env',
  '/captions?view=guessed',
  '/.env',
  '/v1/views/guessed',
];
const POST = [
  '/v1/keys',
  '/v1/ask',
  '/v1/aloud',
  '/v1/transcribe',
  '/v1/exchange',
  '/v1/tokens',
  '/v1/calls',
  '/v1/tryouts',
  '/v1/session',
  '/v1/messages/x/withdraw',
  '/v1/files/errands/x/check',
  '/v1/foreign',
];
const BODIES = [
  '{}',
  'null',
  '{"key":"vk_guessed"}',
  '['.repeat(3_900),
  `{"text":"${'a'.repeat(3_900)}"}`,
  'x'.repeat(300_000),
  '{"__proto__":{"scopes":["manage"]}}',
  '\0'.repeat(100),
];
const CREDENTIALS = [
  'Bearer',
  'Bearer vk_guessed',
  `Bearer ${'a'.repeat(5_000)}`,
  'Basic eDp4',
  'Bearer constructor',
];

export interface StrangerRequest {
  path: string;
  init: RequestInit;
}

export function strangerRequest(seed: number): StrangerRequest {
  const random = seeded(seed);
  const headers: Record<string, string> = {};
  if (random() < 0.4) headers.authorization = pick(random, CREDENTIALS);
  if (random() < 0.3) headers.origin = pick(random, ['https://evil.example', 'null', 'file://']);
  if (random() < 0.2) headers.cookie = `verbalon=${'a'.repeat(below(random, 3_000))}`;
  if (random() < 0.4) return { path: pick(random, GET), init: { headers } };
  headers['content-type'] = pick(random, ['application/json', 'application/octet-stream', 'text/yaml']);
  const isPacked = random() < 0.4;
  if (isPacked) headers['content-encoding'] = pick(random, ['gzip', 'deflate', 'br']);
  const body = isPacked ? pick(random, [NESTED, LONG]) : pick(random, BODIES);
  return {
    path: pick(random, POST),
    init: { method: 'POST', headers, body: body as string | Uint8Array<ArrayBuffer> },
  };
}
