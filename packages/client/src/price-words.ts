/** What an engine costs, in a few words. */
import type { EngineSummary } from '@verbalon/protocol';

/** With two digits, as money is written. */
const amount = (value: number) => value.toFixed(2);

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
    audioMinute !== undefined && `${audioMinute} per minute`,
    millionCharacters !== undefined && `${amount(millionCharacters)} per million characters`,
    millionTokensIn !== undefined &&
      `${amount(millionTokensIn)} in / ${amount(millionTokensOut ?? 0)} out per million tokens`,
    request !== undefined && `${request} per request`,
    hour !== undefined && `${hour} per hour`,
    month !== undefined && `${month.price} per month`,
  ];
  return `${currency} ${parts.filter(Boolean).join(', ')}`;
}
