import { runSecondOf } from '../analyse/verdict.js';
import { holdOf, phasesOf } from '../workload/curve.js';
import { mean } from '../statistics/interval.js';
import { within, type PreparedGround, type SecondTotals } from './ground.js';

/** A stretch of a run in which the load was about the same. */
export interface LoadLevel {
  fromSecond: number;
  toSecond: number;
  /** Users on average; with arrivals, iterations that were due in a second. */
  load: number;
  seconds: SecondTotals[];
}

export const levelPerSecond = ({ seconds }: Pick<LoadLevel, 'seconds'>): number => mean(seconds.map(({ iterations }) => iterations));
/** Mean response time of its transactions in ms; null where there is none. */
export const levelMs = ({ seconds }: Pick<LoadLevel, 'seconds'>): number | null => {
  const count = seconds.reduce((sum, second) => sum + second.count, 0);
  return count === 0 ? null : seconds.reduce((sum, second) => sum + second.sumMs, 0) / count;
};
export const levelErrors = ({ seconds }: Pick<LoadLevel, 'seconds'>): number => {
  const count = seconds.reduce((sum, second) => sum + second.count, 0);
  return count === 0 ? 0 : seconds.reduce((sum, second) => sum + second.errors, 0) / count;
};

/** A ramp is cut into so many stretches, none shorter than the second figure. */
const rampCuts = 12;
const shortestSeconds = 5;

/**
 * The levels of load of a run: the steps of a staircase, each without its first fifth, in which the system settles; else stretches of the
 * ramp-up, and the hold. Levels that the run did not reach are left out.
 */
export function loadLevels({ run, seconds }: Pick<PreparedGround, 'run' | 'seconds'>): LoadLevel[] {
  const { workload, events = [] } = run;
  const at = (second: number) => runSecondOf(second, events);
  const periods: { fromSecond: number; toSecond: number }[] = [];
  const settled = (startSeconds: number, endSeconds: number) => ({
    fromSecond: Math.ceil(at(startSeconds + (endSeconds - startSeconds) / 5)),
    toSecond: Math.floor(at(endSeconds)),
  });
  if (workload.curve.kind === 'staircase') {
    for (const { name, startSeconds, endSeconds } of phasesOf(workload))
      if (name.startsWith('step ')) periods.push(settled(startSeconds, endSeconds));
  } else {
    const hold = holdOf(workload);
    const cuts = Math.min(rampCuts, Math.floor(hold.startSeconds / shortestSeconds));
    for (let cut = 0; cut < cuts; cut++)
      periods.push({
        fromSecond: Math.ceil(at((hold.startSeconds * cut) / cuts)),
        toSecond: Math.floor(at((hold.startSeconds * (cut + 1)) / cuts)),
      });
    periods.push(settled(hold.startSeconds, hold.endSeconds));
  }
  const isOpen = workload.curve.kind === 'arrivals';
  return periods.flatMap((period) => {
    const own = within(seconds, period);
    if (own.length < Math.max(1, 0.8 * (period.toSecond - period.fromSecond))) return [];
    const load = mean(own.map(({ users, due }) => (isOpen ? due : users)));
    // Where everybody has gone home, nothing is left of the load that was planned.
    return isOpen || load >= 1 ? [{ ...period, load, seconds: own }] : [];
  });
}
