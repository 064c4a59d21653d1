/**
 * The chance that of `drawn` things, drawn from `total` of which `marked` are marked, at least `k` are marked: the upper tail of the hypergeometric
 * distribution, which is Fisher’s exact test of one side (Fisher 1935).
 */
export function hypergeometricTail(k: number, marked: number, total: number, drawn: number): number {
  const most = Math.min(marked, drawn);
  const least = Math.max(0, drawn - (total - marked));
  if (k <= least) return 1;
  if (k > most) return 0;
  // The first term by its logarithm, the others each from the one before.
  let term = Math.exp(logChoose(marked, k) + logChoose(total - marked, drawn - k) - logChoose(total, drawn));
  let sum = 0;
  for (let i = k; i <= most && term > 0; i++) {
    sum += term;
    if (term < sum * 1e-17) break;
    term *= ((marked - i) / (i + 1)) * ((drawn - i) / (total - marked - drawn + i + 1));
  }
  return Math.min(1, sum);
}

function logChoose(n: number, k: number): number {
  const smaller = Math.min(k, n - k);
  let sum = 0;
  for (let i = 1; i <= smaller; i++) sum += Math.log((n - smaller + i) / i);
  return sum;
}
