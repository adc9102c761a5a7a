/** A caller's line on the talk socket: messages and frames, typed and checked. */
import {
  check, readFrame, serviceMessages, writeFrame,
  type CallerMessage, type CallerMessageOf, type Frame, type ServiceMessage, type ServiceMessageKind,
} from '@verbalon/protocol'; // prettier-ignore
import { unreachable } from './http-client.js';

/** What is used of a WebSocket: that of a browser, or of the package ws. */
export interface SocketLike {
  binaryType: string;
  readonly readyState: number;
  send(data: string | Uint8Array<ArrayBuffer>): void;
  close(): void;
  onopen: ((event: never) => unknown) | null;
  onmessage: ((event: never) => unknown) | null;
  onclose: ((event: never) => unknown) | null;
  onerror: ((event: never) => unknown) | null;
}

const OPEN = 1;

export interface LineEvents {
  message: (message: ServiceMessage) => void;
  sound: (frame: Frame) => void;
  /** `clean`: the service or we closed it; otherwise the connection was lost. */
  closed: (how: { clean: boolean; code: number; reason: string }) => void;
}

/** The address of the talk socket of the service at `address`. */
export function lineAddress(address: string): string {
  return new URL('/v1/line', address.replace(/^http/, 'ws')).href;
}

export class Line {
  private open = false;

  private constructor(
    private readonly socket: SocketLike,
    private readonly events: LineEvents,
  ) {}

  /** Connects and says that the caller is there. @throws ServiceError when nothing answers */
  static connect(
    socket: SocketLike,
    address: string,
    arrive: Omit<CallerMessageOf<'arrive'>, 'kind'>,
    events: LineEvents,
  ): Promise<Line> {
    socket.binaryType = 'arraybuffer';
    const line = new Line(socket, events);
    return new Promise((resolve, reject) => {
      socket.onopen = () => {
        line.open = true;
        line.send({ kind: 'arrive', ...arrive });
        resolve(line);
      };
      socket.onerror = () => undefined;
      socket.onmessage = (event: { data: string | ArrayBuffer }) => line.take(event.data);
      socket.onclose = (event: { wasClean: boolean; code: number; reason: string }) => {
        if (!line.open) return reject(unreachable(address));
        events.closed({ clean: event.wasClean, code: event.code, reason: event.reason });
      };
    });
  }

  send(message: CallerMessage): void {
    if (this.socket.readyState === OPEN) this.socket.send(JSON.stringify(message));
  }

  /** The caller's sound: `firstSample` on the caller's axis, an even number of samples. */
  sendSound(firstSample: number, samples: Int16Array): void {
    if (this.socket.readyState !== OPEN) return;
    const bytes = writeFrame({ from: 'caller', epoch: 0, firstSample, last: false, samples });
    this.socket.send(bytes as Uint8Array<ArrayBuffer>);
  }

  leave(): void {
    this.send({ kind: 'leave' });
  }

  close(): void {
    this.socket.close();
  }

  private take(data: string | ArrayBuffer): void {
    if (typeof data !== 'string') return this.events.sound(readFrame(new Uint8Array(data)));
    const value = JSON.parse(data) as { kind: ServiceMessageKind };
    const schema = serviceMessages[value.kind];
    // A service that is newer than we are may say more than we know.
    if (schema && check(schema, value).ok) this.events.message(value as ServiceMessage);
  }
}
