/** The value below which `share` (0 to 1) of the values lie, by linear interpolation; NaN for none. */
export function percentile(values: readonly number[], share: number): number {
  if (values.length === 0) return Number.NaN;
  const sorted = [...values].sort((a, b) => a - b);
  const at = share * (sorted.length - 1);
  const low = Math.floor(at);
  const high = Math.ceil(at);
  return sorted[low]! + (at - low) * (sorted[high]! - sorted[low]!);
}
