import { HttpClient } from '@verbalon/client';
import { DEFAULT_PORT } from '@verbalon/protocol';
import { terminal } from './terminal.js';

/** Where the service is that commands ask: VERBALON_URL, or the usual port of this machine. */
export function serviceAddress(): string {
  return terminal.env.VERBALON_URL ?? `http://127.0.0.1:${DEFAULT_PORT}`;
}

/** What a service that asks for a key is shown: VERBALON_KEY. */
export function serviceKey(): string | undefined {
  return terminal.env.VERBALON_KEY || undefined;
}

/** The service that commands ask. */
export function service(): HttpClient {
  return new HttpClient(serviceAddress(), serviceKey());
}
