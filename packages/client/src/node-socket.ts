import { WebSocket } from 'ws';

/** Makes sockets to the service, with a key where it asks for one. */
export function nodeSocket(key?: string): (address: string) => WebSocket {
  const headers = key === undefined ? {} : { authorization: `Bearer ${key}` };
  return (address) => new WebSocket(address, { headers });
}
