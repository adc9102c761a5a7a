/** What comes in the parts of a form (RFC 7578), as the platform reads them. */
import type { IncomingMessage } from 'node:http';
import { bodyOf } from '../common/server.js';

export async function partsOf(request: IncomingMessage): Promise<FormData> {
  const type = request.headers['content-type'] ?? '';
  const body = await bodyOf(request);
  return new Response(body as Uint8Array<ArrayBuffer>, { headers: { 'content-type': type } }).formData();
}
