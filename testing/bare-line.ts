/** A talk socket without a client: whatever is sent, and what comes back. */
import { WebSocket } from 'ws';
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';

export const ARRIVE = { kind: 'arrive', line: 'web', audio: { encoding: 's16le', rateHz: 16_000 } };

/**
 * Opens a socket, sends all this, and says what came back by the time it was closed.
 * @param enough whether that is all that was wanted
 * @param andThen what is done then; it is closed by default
 */
export function exchange(
  address: string,
  sent: readonly (string | Uint8Array | object)[],
  enough: (messages: ServiceMessage[]) => boolean,
  andThen: (socket: WebSocket) => void = (socket) => socket.close(),
): Promise<{ code: number; messages: ServiceMessage[] }> {
  return new Promise((resolve) => {
    const socket = new WebSocket(`${address.replace('http', 'ws')}/v1/line`);
    const messages: ServiceMessage[] = [];
    socket.on('open', () => {
      for (const one of sent)
        socket.send(typeof one === 'string' || one instanceof Uint8Array ? one : JSON.stringify(one));
    });
    socket.on('message', (data: Buffer, isBinary) => {
      if (!isBinary) messages.push(JSON.parse(data.toString()) as ServiceMessage);
      if (enough(messages)) andThen(socket);
    });
    socket.on('error', () => undefined);
    socket.on('close', (code) => resolve({ code, messages }));
  });
}

export const troubles = (messages: readonly ServiceMessage[]) =>
  messages.filter((message): message is ServiceMessageOf<'trouble'> => message.kind === 'trouble');
