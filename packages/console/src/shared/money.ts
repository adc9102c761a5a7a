/** An amount as people read it: what is less than a thousandth is said to be so. */
export function money(amount: number): string {
  return amount > 0 && amount < 0.001 ? '< 0.001' : amount.toFixed(3);
}
