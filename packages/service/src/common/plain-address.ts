/** Addresses of machines, as sockets show them. */
import { networkInterfaces } from 'node:os';

/** An address of IPv4 that a socket of IPv6 shows as `::ffff:…` is itself. */
export const plainAddress = (shown: string): string => shown.replace(/^::ffff:(?=\d+\.)/i, '');

/** The addresses of this machine, as they are now: they come and go. */
export const ourAddresses = (): ReadonlySet<string> =>
  new Set(Object.values(networkInterfaces()).flatMap((all) => (all ?? []).map(({ address }) => address)));
