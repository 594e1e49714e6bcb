/** A share in per cent, with as many places as tell a small one from none. */
export function percent(share: number): string {
  const shown = share * 100;
  return `${shown >= 1 || shown === 0 ? shown.toFixed(1) : shown.toPrecision(3)} %`;
}
