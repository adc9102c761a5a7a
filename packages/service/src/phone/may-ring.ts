/**
 * Who may ring: telephones at known addresses. Of strangers it is kept where they were, for whoever wonders
 * why nobody gets through.
 */
import proxyAddr from 'proxy-addr';
import { ourAddresses, plainAddress } from '../common/plain-address.js';

const LOOPBACK = ['127.0.0.0/8', '::1'];
const MOST_STRANGERS = 20;

/**
 * @param networks addresses and networks (CIDR) @returns whether an address, as a socket shows it, is in one
 * of them @throws Error that says which is none
 */
export function within(networks: readonly string[]): (shown: string) => boolean {
  const isNamed = proxyAddr.compile([...networks]);
  return (shown) => isNamed(plainAddress(shown), 0);
}

export class MayRing {
  private readonly isNamed: (shown: string) => boolean;
  private readonly turnedAway = new Set<string>();

  /**
   * @param peers addresses and networks; undefined for this machine alone, at whichever of its addresses
   * @throws Error that says which is none
   */
  constructor(private readonly peers: readonly string[] | undefined) {
    this.isNamed = within(peers ?? LOOPBACK);
  }

  allows(shown: string): boolean {
    return this.isNamed(shown) || (this.peers === undefined && ourAddresses().has(plainAddress(shown)));
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
