/**
 * Whose sound is heard in a call, and where ours may go: to the address that rings, or to a network that is
 * named. A description may name any other host: that one is neither heard nor sent to, so that nobody has a
 * third one flooded, or speaks for the caller.
 */
import { ourAddresses, plainAddress } from '../common/plain-address.js';
import type { RemoteSound } from './sdp.js';

/** Whoever has sent so many packets from one port is who we send to. */
const LATCHED_AFTER = 3;
/** Without a packet of theirs, ours go on for so long, in ms. */
const UNHEARD_MS = 2_000;
/**
 * Addresses that mean something only where the other side is: behind its router, or on its own machine (RFC
 * 1918, 3927, 6598, 4193).
 */
const NOT_ROUTED =
  /^(?:10\.|127\.|169\.254\.|192\.168\.|172\.(?:1[6-9]|2\d|3[01])\.|100\.(?:6[4-9]|[7-9]\d|1[01]\d|12[0-7])\.|::1$|f[cd]|fe80)/i;

interface Source {
  address: string;
  port: number;
  ssrc: number;
  packets: number;
}

export class SoundSource {
  private remote: Pick<RemoteSound, 'address' | 'port'> | null = null;
  private source: Source | null = null;
  private acknowledgedMs: number | null = null;
  private isHeard = false;
  /** The addresses of this machine: a telephone that runs on it may name any of them. */
  private readonly ours = ourAddresses();

  /**
   * @param peer where the signalling comes from @param isNamed networks where the owner says that callers'
   * sound is
   */
  constructor(
    private readonly peer: () => string,
    private readonly isNamed: (address: string) => boolean,
  ) {}

  /** May this description be used? One behind a router may: its sound goes to where it comes from. */
  mayDescribe({ address }: Pick<RemoteSound, 'address'>): boolean {
    return address === '0.0.0.0' || this.mayBe(address) || NOT_ROUTED.test(address);
  }

  /** What the other side says of its sound from now on. */
  describe(remote: Pick<RemoteSound, 'address' | 'port'>): void {
    const isMoved = this.remote?.address !== remote.address || this.remote.port !== remote.port;
    this.remote = remote;
    if (isMoved) this.source = null;
  }

  /** Our answer has reached the other side: it is where it says. */
  acknowledged(nowMs: number): void {
    this.acknowledgedMs ??= nowMs;
  }

  /** May our sound go out? */
  mayTalk(nowMs: number): boolean {
    if (this.acknowledgedMs === null || this.target === null) return false;
    return this.isHeard || nowMs - this.acknowledgedMs < UNHEARD_MS;
  }

  /** Where our sound goes; null where nobody knows yet. */
  get target(): { address: string; port: number } | null {
    const { source, remote } = this;
    if (source && source.packets >= LATCHED_AFTER) return source;
    return remote && this.mayBe(remote.address) ? remote : null;
  }

  /** Is a packet of sound the other side's? @param from where it came from */
  takes({ address: shown, port }: { address: string; port: number }, ssrc: number): boolean {
    const address = plainAddress(shown);
    const { remote, source } = this;
    if (!remote || !this.mayBe(address)) return false;
    const isAsSaid = remote.address === address && remote.port === port;
    const isSame = source?.address === address && source.port === port;
    if (isSame && (isAsSaid || source.ssrc === ssrc))
      source.packets = Math.min(LATCHED_AFTER, source.packets + 1);
    else if (isAsSaid || source === null) this.source = { address, port, ssrc, packets: 1 };
    else return false;
    this.isHeard = true;
    return true;
  }

  /** May a report (RTCP) be the other side's? */
  reports(address: string): boolean {
    return this.target?.address === plainAddress(address);
  }

  private mayBe(address: string): boolean {
    const peer = plainAddress(this.peer());
    return address === peer || this.isNamed(address) || (this.ours.has(peer) && this.ours.has(address));
  }
}
