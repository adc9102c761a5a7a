import { DEFAULT_PORT } from '@verbalon/protocol';

/** Where the service is that commands ask: VERBALON_URL, or the usual port of this machine. */
export function serviceAddress(): string {
  return process.env.VERBALON_URL ?? `http://127.0.0.1:${DEFAULT_PORT}`;
}
