/** Who may ring: telephones at known addresses. Of strangers it is kept where they were, for whoever wonders why nobody gets through. */
import { networkInterfaces } from 'node:os';
import proxyAddr from 'proxy-addr';

const LOOPBACK = ['127.0.0.0/8', '::1'];
const MOST_STRANGERS = 20;

export class MayRing {
  private readonly isNamed: (address: string, hop: number) => boolean;
  private readonly turnedAway = new Set<string>();

  /** @param peers addresses and networks; undefined for this machine alone, at whichever of its addresses @throws Error that says which is none */
  constructor(private readonly peers: readonly string[] | undefined) {
    this.isNamed = proxyAddr.compile([...(peers ?? LOOPBACK)]);
  }

  allows(address: string): boolean {
    return this.isNamed(address, 0) || (this.peers === undefined && isOurs(address));
  }

  /** @returns whether it is the first time, and worth a word */
  turnAway(address: string): boolean {
    if (this.turnedAway.has(address) || this.turnedAway.size >= MOST_STRANGERS) return false;
    this.turnedAway.add(address);
    return true;
  }

  get strangers(): string[] {
    return [...this.turnedAway];
  }
}

/** It is looked up each time: a machine's addresses come and go. */
function isOurs(address: string): boolean {
  return Object.values(networkInterfaces()).some((all) => all?.some((one) => one.address === address));
}
