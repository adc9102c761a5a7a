/**
 * Stands between a service and its database: lets all through, stalls, cuts, or loses the answer to a COMMIT.
 */
import { once } from 'node:events';
import { connect, createServer, type AddressInfo, type Socket } from 'node:net';

export class DatabaseProxy {
  private readonly pairs = new Set<[Socket, Socket]>();
  private stalled = false;
  private lost: (() => void) | null = null;
  private readonly server = createServer((client) => this.accept(client));

  private constructor(private readonly target: URL) {}

  /** @param url of the database */
  static async open(url: string): Promise<DatabaseProxy> {
    const proxy = new DatabaseProxy(new URL(url));
    proxy.server.listen(0, '127.0.0.1');
    await once(proxy.server, 'listening');
    return proxy;
  }

  get url(): string {
    const url = new URL(this.target);
    url.port = String((this.server.address() as AddressInfo).port);
    return url.href;
  }

  /** Connections that are open now. */
  get connections(): number {
    return this.pairs.size;
  }

  /** Nothing passes, in either direction, until it is let go on. */
  stall(): void {
    this.stalled = true;
    for (const pair of this.pairs) for (const socket of pair) socket.pause();
  }

  goOn(): void {
    this.stalled = false;
    for (const pair of this.pairs) for (const socket of pair) socket.resume();
  }

  cut(): void {
    for (const pair of this.pairs) for (const socket of pair) socket.destroy();
  }

  /**
   * The next COMMIT reaches the database, and what it answers reaches nobody. Resolves when that has
   * happened.
   */
  loseCommit(): Promise<void> {
    return new Promise((done) => (this.lost = done));
  }

  async close(): Promise<void> {
    this.cut();
    this.server.close();
    await once(this.server, 'close');
  }

  private accept(client: Socket): void {
    const database = connect(Number(this.target.port), this.target.hostname);
    const pair: [Socket, Socket] = [client, database];
    let losing: (() => void) | null = null;
    this.pairs.add(pair);
    client.on('data', (chunk: Buffer) => {
      if (this.lost && /\bcommit\b/i.test(chunk.toString('latin1'))) [losing, this.lost] = [this.lost, null];
      database.write(chunk);
    });
    database.on('data', (chunk: Buffer) => {
      if (!losing) return void client.write(chunk);
      client.destroy();
      database.destroy();
      losing();
      losing = null;
    });
    for (const [one, other] of [pair, [database, client]] as const) {
      one.on('error', () => undefined);
      one.on('close', () => {
        this.pairs.delete(pair);
        other.destroy();
      });
      if (this.stalled) one.pause();
    }
  }
}
