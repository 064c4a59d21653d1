import type { Spread } from '../script/step.schema.js';
import type { Crew, Pacing, ThinkTime } from './workload.schema.js';

/** A pause in ms as a crew plays it, without its spread: recorded, scaled, fixed or none, and never longer than the cap. */
export function pauseMs(recordedMs: number, think: Crew['think']): number {
  const ms = { recorded: recordedMs, scaled: recordedMs * think.factor, fixed: think.ms, none: 0 }[think.kind];
  return Math.min(ms, think.capMs);
}

/** A standard normal number by the polar form of Box and Muller (Marsaglia and Bray 1964). */
function normal(random: () => number): number {
  for (;;) {
    const [left, right] = [2 * random() - 1, 2 * random() - 1];
    const square = left * left + right * right;
    if (square > 0 && square < 1) return left * Math.sqrt((-2 * Math.log(square)) / square);
  }
}

/** A pause of a script drawn from its own spread, in ms. */
export function drawnPause(ms: number, spread: Spread | undefined, random: () => number): number {
  if (!spread) return ms;
  return spread.kind === 'uniform' ? Math.max(0, ms + (2 * random() - 1) * spread.byMs) : ms * Math.exp(spread.sigma * normal(random));
}

/** A pause as a crew plays it this time, in ms. The cap holds for what is drawn too. */
export function drawnThink(recordedMs: number, think: ThinkTime, random: () => number): number {
  const ms = pauseMs(recordedMs, think);
  if (!think.spread || ms === 0) return ms;
  const drawn =
    think.spread.kind === 'uniform'
      ? ms * (1 + ((2 * random() - 1) * think.spread.percent) / 100)
      : ms * Math.exp(think.spread.sigma * normal(random));
  return Math.min(drawn, think.capMs);
}

/** When the next iteration is due, in ms on the clock of the last one's due time, start and end. A user that is late goes on from now. */
export function nextDueMs(pacing: Pacing, dueMs: number, endedMs: number, random: () => number): number {
  if (pacing.kind === 'none') return endedMs;
  const spread = 1 + ((2 * random() - 1) * (pacing.spreadPercent ?? 0)) / 100;
  const everyMs = pacing.seconds * 1000 * spread;
  return pacing.kind === 'end-to-start' ? endedMs + everyMs : Math.max(endedMs, dueMs + everyMs);
}

/**
 * Whole users for shares in per cent, by the largest remainder (Hamilton 1792): they add up to `users` where the shares add up to 100. A crew
 * with a share above 0 has one user at least.
 */
export function usersByShares(users: number, shares: readonly number[]): number[] {
  const sum = shares.reduce((all, share) => all + share, 0);
  if (sum <= 0) return shares.map(() => 0);
  const exact = shares.map((share) => (users * share) / sum);
  const whole = exact.map(Math.floor);
  let left = users - whole.reduce((all, share) => all + share, 0);
  const order = exact
    .map((exactShare, at) => ({ at, rest: exactShare - Math.floor(exactShare) }))
    .sort((a, b) => b.rest - a.rest || a.at - b.at);
  for (const { at } of order) if (left-- > 0) whole[at] = (whole[at] ?? 0) + 1;
  return whole.map((count, at) => ((shares[at] ?? 0) > 0 ? Math.max(1, count) : count));
}
