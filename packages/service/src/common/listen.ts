/**
 * Where the service listens: on this machine alone, or for others too; with TLS where certificates are given.
 */
import { readFileSync, unwatchFile, watchFile } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { createSecureContext, type Server as TlsServer } from 'node:tls';
import type { Express } from 'express';
import type { Logger } from 'pino';
import { ProblemError } from '../problems/problems.js';

export interface TlsFiles {
  /** Certificate chain and private key, PEM. */
  cert: string;
  key: string;
}

export interface ListenOptions {
  port: number;
  host?: string | undefined;
  tls?: TlsFiles | undefined;
  hosts?: readonly string[];
  proxies?: readonly string[];
}

export interface Listener {
  server: Server;
  address: string;
  stop(): void;
}

const LOOPBACK = '127.0.0.1';
/** A certificate that is renewed is taken within this, in ms. */
const LOOK_AT_CERTIFICATE_MS = 10_000;

/** Can it be reached from elsewhere: directly, through a proxy, or under another name? */
export function isExposed({ host = LOOPBACK, hosts = [], proxies = [] }: ListenOptions): boolean {
  const isLoopback = host === 'localhost' || host === '::1' || /^127\./.test(host);
  return !isLoopback || hosts.length > 0 || proxies.length > 0;
}

/** @throws ProblemError `port-taken`, `settings-broken` */
export async function listen(app: Express, options: ListenOptions, log: Logger): Promise<Listener> {
  const { tls, host = LOOPBACK, port } = options;
  const secure = tls && createTlsServer(pairOf(tls), app);
  const server: Server = secure ?? createServer(app);
  await new Promise<void>((resolve, reject) => {
    server.once('error', ({ code, message }: NodeJS.ErrnoException) => {
      if (code === 'EADDRINUSE') reject(new ProblemError('port-taken', `port ${port} on ${host}`));
      else reject(new ProblemError('settings-broken', `--host ${host} --port ${port}: ${message}`));
    });
    server.listen(port, host, resolve);
  });
  const unwatch = secure ? renewing(secure, tls!, log) : () => undefined;
  const at = server.address() as AddressInfo;
  const shown = at.address === '0.0.0.0' || at.address === '::' ? LOOPBACK : at.address;
  return {
    server,
    address: `${tls ? 'https' : 'http'}://${shown.includes(':') ? `[${shown}]` : shown}:${at.port}`,
    stop: unwatch,
  };
}

/** A renewed certificate is taken up. @returns how to stop looking */
export function renewing(server: TlsServer, tls: TlsFiles, log: Logger): () => void {
  const renew = () => {
    try {
      server.setSecureContext(pairOf(tls));
      log.info({ certificate: tls.cert }, 'the certificate was read again');
    } catch (error) {
      log.error({ why: String(error) }, 'the certificate cannot be read; the last good one stays in use');
    }
  };
  watchFile(tls.cert, { interval: LOOK_AT_CERTIFICATE_MS, persistent: false }, renew);
  return () => unwatchFile(tls.cert, renew);
}

/** @throws ProblemError `settings-broken` */
export function pairOf({ cert, key }: TlsFiles): { cert: Buffer; key: Buffer } {
  try {
    const pair = { cert: readFileSync(cert), key: readFileSync(key) };
    createSecureContext(pair);
    return pair;
  } catch (error) {
    throw new ProblemError(
      'settings-broken',
      `--cert and --cert-key name PEM files: ${(error as Error).message}`,
    );
  }
}
