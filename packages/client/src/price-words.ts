/** What an engine costs, in a few words. */
import type { EngineSummary } from '@verbalon/protocol';

export function priceWords({ prices }: Pick<EngineSummary, 'prices'>): string {
  if (!prices) return '';
  const {
    currency,
    audioMinute,
    millionCharacters,
    millionTokensIn,
    millionTokensOut,
    request,
    hour,
    month,
  } = prices;
  const parts = [
    audioMinute !== undefined && `${audioMinute} a minute`,
    millionCharacters !== undefined && `${millionCharacters} a million characters`,
    millionTokensIn !== undefined && `${millionTokensIn} in, ${millionTokensOut ?? 0} out a million tokens`,
    request !== undefined && `${request} a request`,
    hour !== undefined && `${hour} an hour`,
    month !== undefined && `${month.price} a month`,
  ];
  return `${currency} ${parts.filter(Boolean).join(', ')}`;
}
