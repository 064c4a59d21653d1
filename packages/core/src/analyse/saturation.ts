import type { Frame } from '../measure/frame.schema.js';
import { lastSecondOf, runSecondOf, type Period } from './verdict.js';
import { phasesOf, usersAt } from '../workload/curve.js';
import type { Run } from './run.schema.js';
import type { Saturation, Stair } from './saturation.schema.js';

/** Throughput must fall so far behind what one user more would bring for a system to be called saturated (common practice, no source). */
const behindShare = 0.15;

/**
 * Where the two asymptotic bounds of a closed system cross: N* = X(max) · (R + Z), with the cycle time R + Z = N/X of the lightest load
 * (Lazowska, Zahorjan, Graham, Sevcik: Quantitative System Performance, 1984, chapter 5).
 */
export function saturationOf(stairs: readonly Stair[]): Saturation | null {
  const [lightest] = stairs;
  if (!lightest || stairs.length < 3 || lightest.perSecond <= 0) return null;
  const cycleSeconds = lightest.users / lightest.perSecond;
  const most = stairs.reduce((best, stair) => Math.max(best, stair.perSecond), 0);
  const last = stairs[stairs.length - 1] ?? lightest;
  const grows = last.perSecond * cycleSeconds > (1 - behindShare) * last.users;
  const users = most * cycleSeconds;
  const rate = `${most.toFixed(most < 10 ? 2 : 1)} iterations a second`;
  return {
    stairs: [...stairs],
    users: grows ? null : users,
    perSecond: most,
    sentence: grows
      ? `With ${Math.round(last.users)} users throughput was still growing (${rate}): the system is not saturated there. Add steps to find where it is.`
      : `Throughput stops growing with about ${Math.round(users)} users, at ${rate} at most; more users only wait longer.`,
  };
}

/** The steps of a run with a staircase; the first fifth of each step is left out, in which the system settles. */
export function stairsOf(run: Run, frames: readonly Frame[]): Stair[] {
  if (run.workload.curve.kind !== 'staircase') return [];
  const last = lastSecondOf(frames);
  return phasesOf(run.workload)
    .filter((phase) => phase.name.startsWith('step '))
    .flatMap(({ startSeconds, endSeconds }): Stair[] => {
      const at = (seconds: number) => runSecondOf(seconds, run.events ?? []);
      const settled = startSeconds + (endSeconds - startSeconds) / 5;
      const period: Period = { fromSecond: Math.ceil(at(settled)), toSecond: Math.floor(at(endSeconds)) };
      const seconds = period.toSecond - period.fromSecond;
      if (seconds < 1 || period.toSecond > last + 1) return [];
      const ownFrames = frames.filter((frame) => frame.second >= period.fromSecond && frame.second < period.toSecond);
      const iterations = ownFrames.reduce((sum, frame) => sum + frame.iterationsPassed + frame.iterationsFailed, 0);
      return [{ users: usersAt(run.workload, (settled + endSeconds) / 2), perSecond: iterations / seconds, ...period }];
    });
}
