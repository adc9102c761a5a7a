/** Where a card's engine is reached. */
import type { EngineCard } from '@verbalon/protocol';

/** Of an address with templates in it, one that can be read: what stands in them may only be known later. */
const readable = (address: string) => address.replaceAll(/\{\w+\}/g, '1');

/** Is this an address that can be asked? */
export function isAddress(address: string): boolean {
  return /^standin:[a-z]/.test(address) || URL.canParse(readable(address));
}

/** The hosts to which an engine's requests go; none for one that lives in a process of ours. */
export function hostsOf(card: EngineCard): string[] {
  if (card.wire !== 'socket' && card.wire !== 'http') return [];
  return [card.address, ...(card.token ? [card.token.post] : [])].flatMap(hostsIn);
}

function hostsIn(address: string): string[] {
  if (address.startsWith('standin:')) return ['127.0.0.1'];
  // A host that is only known when the request is made is no host of this machine.
  return /^\w+:\/\/[^/]*\{(?!port\})/.test(address) ? ['{unknown}'] : [new URL(readable(address)).hostname];
}
