/**
 * A caller's line on the talk socket: messages and frames, typed. A connection that breaks is opened again
 * and the talk goes on: each end keeps what it has sent and says how much has come, so nothing is lost or
 * comes twice.
 */
import {
  SentItems,
  readFrame,
  RESUME_MS,
  serviceMessages,
  writeFrame,
  type CallerMessage,
  type CallerMessageOf,
  type Frame,
  type Item,
  type ServiceMessage,
  type ServiceMessageKind,
  type ServiceMessageOf,
} from '@verbalon/protocol';
import { unreachable } from './asking.js';

/** What is used of a WebSocket: that of a browser, or of the package ws. */
export interface SocketLike {
  binaryType: string;
  readonly readyState: number;
  readonly bufferedAmount: number;
  send(data: string | Uint8Array<ArrayBuffer>): void;
  close(): void;
  onopen: ((event: never) => unknown) | null;
  onmessage: ((event: never) => unknown) | null;
  onclose: ((event: never) => unknown) | null;
  onerror: ((event: never) => unknown) | null;
}

const OPEN = 1;
/** The code with which the service closes a talk that is over (RFC 6455, section 7.4.1). */
export const GOODBYE = 1000;
/** The code of a connection that broke without a word (RFC 6455, section 7.4.1). */
const ABNORMAL = 1006;
const TRY_AGAIN_MS = 250;
/**
 * A connection that takes nothing any more is given up with this much waiting, in bytes: 2 s of sound at 48
 * kHz.
 */
const MOST_STUCK_BYTES = 200_000;

export interface LineEvents {
  message: (message: ServiceMessage) => void;
  sound: (frame: Frame) => void;
  /** The connection broke and is being opened again, or is back. */
  connection?: (state: 'lost' | 'back') => void;
  /** For good. `clean`: the service or we closed it; otherwise it was lost and could not be had back. */
  closed: (how: { clean: boolean; code: number; reason: string }) => void;
}

/** The address of the talk socket of the service at `address`. */
export function lineAddress(address: string): string {
  return new URL('/v1/line', address.replace(/^http/, 'ws')).href;
}

/** How a caller arrives. */
export type Arrive = Omit<CallerMessageOf<'arrive'>, 'kind'>;

export class Line {
  private socket: SocketLike | null = null;
  private readonly sentItems = new SentItems();
  private received = 0;
  private token: string | null = null;
  /** The other end has been told what we have, and has told what it has. */
  private joined = false;
  private isOver = false;
  private lostAt: number | null = null;

  private constructor(
    private readonly open: () => SocketLike,
    private readonly arrive: Arrive,
    private readonly events: LineEvents,
  ) {}

  /**
   * Connects and says that the caller is there. `open` makes a new socket. @throws ServiceError when nothing
   * answers
   */
  static async connect(
    open: () => SocketLike,
    address: string,
    arrive: Arrive,
    events: LineEvents,
  ): Promise<Line> {
    const line = new Line(open, arrive, events);
    if (!(await line.begin())) throw unreachable(address);
    return line;
  }

  send(message: CallerMessage): void {
    this.put(JSON.stringify(message));
  }

  /** The caller's sound: `firstSample` on the caller's axis, an even number of samples. */
  sendSound(firstSample: number, samples: Int16Array): void {
    this.put(writeFrame({ from: 'caller', epoch: 0, firstSample, last: false, samples }));
  }

  leave(): void {
    this.send({ kind: 'leave' });
    this.isOver = true;
  }

  close(): void {
    this.isOver = true;
    this.socket?.close();
  }

  private put(item: Item): void {
    if (this.isOver) return;
    this.sentItems.put(item);
    const { socket } = this;
    if (!this.joined || socket?.readyState !== OPEN) return;
    write(socket, item);
    if (socket.bufferedAmount > MOST_STUCK_BYTES) this.broke(socket);
  }

  /** Opens a socket. @returns whether it opened */
  private begin(): Promise<boolean> {
    const socket = this.open();
    socket.binaryType = 'arraybuffer';
    this.socket = socket;
    return new Promise((resolve) => {
      socket.onopen = () => {
        const { token, received } = this;
        write(
          socket,
          JSON.stringify({
            kind: 'arrive',
            ...this.arrive,
            ...(token === null ? {} : { resume: { token, received } }),
          }),
        );
        this.joined = token === null;
        resolve(true);
      };
      socket.onerror = () => undefined;
      socket.onmessage = (event: { data: string | ArrayBuffer }) =>
        socket === this.socket && this.take(event.data);
      socket.onclose = (event: { wasClean: boolean; code: number; reason: string }) => {
        resolve(false);
        if (socket === this.socket) this.closedBy(event);
      };
    });
  }

  private take(data: string | ArrayBuffer): void {
    if (typeof data !== 'string') {
      this.received++;
      return this.events.sound(readFrame(new Uint8Array(data)));
    }
    const value = JSON.parse(data) as { kind: ServiceMessageKind };
    const known = Object.hasOwn(serviceMessages, value.kind);
    if (known && value.kind === 'resumed')
      return this.comeBack((value as ServiceMessageOf<'resumed'>).received);
    this.received++;
    // A service that is newer than we are may say more than we know.
    if (!known) return;
    const message = value as ServiceMessage;
    if (message.kind === 'admitted') this.token = message.token;
    this.events.message(message);
  }

  private comeBack(received: number): void {
    this.joined = true;
    this.lostAt = null;
    for (const item of this.sentItems.after(received) ?? []) write(this.socket!, item);
    this.events.connection?.('back');
  }

  private closedBy({ wasClean, code, reason }: { wasClean: boolean; code: number; reason: string }): void {
    const mayComeBack = code === ABNORMAL && this.token !== null && !this.isOver;
    if (mayComeBack) return this.broke(this.socket!);
    if (this.token === null && this.received === 0 && !this.joined) return;
    this.isOver = true;
    this.events.closed({ clean: wasClean, code, reason });
  }

  private broke(socket: SocketLike): void {
    this.joined = false;
    this.socket = null;
    socket.close();
    if (this.lostAt === null) this.events.connection?.('lost');
    this.lostAt ??= performance.now();
    if (performance.now() - this.lostAt < RESUME_MS)
      return void setTimeout(() => void this.tryAgain(), TRY_AGAIN_MS);
    this.isOver = true;
    this.events.closed({ clean: false, code: ABNORMAL, reason: 'the connection was lost' });
  }

  private async tryAgain(): Promise<void> {
    if (!this.isOver) await this.begin();
  }
}

function write(socket: SocketLike, item: Item): void {
  socket.send(item as string | Uint8Array<ArrayBuffer>);
}
