import { holdPeriod, lastSecondOf, runSecondOf, type Period } from '../analyse/verdict.js';
import type { Run } from '../analyse/run.schema.js';
import type { UserFigures } from '../analyse/sample-query.js';
import type { HostSeries } from '../hosts/watch.schema.js';
import type { Frame } from '../measure/frame.schema.js';
import type { Baseline } from '../compare/baseline.js';
import type { Script } from '../script/script.schema.js';
import type { FindingRules } from './finding-rules.schema.js';

/** Totals of all transactions within one second, over all generators. */
export interface SecondTotals {
  second: number;
  users: number;
  iterations: number;
  /** Iterations that were due: begun, or left out because all users were under way. */
  due: number;
  count: number;
  errors: number;
  sumMs: number;
}

/** A data table with the rows that a run played, by their numbers. */
export interface PlayedTable {
  id: string;
  name: string;
  columns: readonly string[];
  rows: ReadonlyMap<number, readonly string[]>;
}

/** All that findings are made from. */
export interface FindingGround {
  run: Run;
  frames: readonly Frame[];
  hosts: readonly HostSeries[];
  scripts: readonly Script[];
  rules: FindingRules;
  /** Of the environment, in per cent of production; null where nobody said. */
  capacityPercent: number | null;
  baseline: Baseline | null;
  /** Figures of each virtual user, out of the samples that were kept; absent where nobody asked for them. */
  users?: readonly UserFigures[];
  /** Absent where nobody asked for them. */
  tables?: readonly PlayedTable[];
  /** Draws the replicates of intervals; from a seed, so that the same run tells the same. */
  random: () => number;
}

/** The ground with what several kinds of findings want of it. */
export interface PreparedGround extends FindingGround {
  users: readonly UserFigures[];
  tables: readonly PlayedTable[];
  /** The hold, in seconds of the run. */
  hold: Period;
  seconds: readonly SecondTotals[];
}

/** Adds what is made once for all kinds. */
export function prepareGround(ground: FindingGround): PreparedGround {
  const planned = holdPeriod(ground.run.workload);
  const at = (second: number) => runSecondOf(second, ground.run.events ?? []);
  const last = lastSecondOf(ground.frames) + 1;
  const fromSecond = Math.ceil(at(planned.fromSecond));
  return {
    ...ground,
    users: ground.users ?? [],
    tables: ground.tables ?? [],
    hold: { fromSecond, toSecond: Math.max(fromSecond, Math.min(last, Math.floor(at(planned.toSecond)))) },
    seconds: secondsOf(ground.frames),
  };
}

/** Sums up frames second by second; seconds of which nothing is known are left out. */
export function secondsOf(frames: readonly Frame[]): SecondTotals[] {
  const bySecond = new Map<number, SecondTotals>();
  for (const frame of frames) {
    let totals = bySecond.get(frame.second);
    if (!totals)
      bySecond.set(frame.second, (totals = { second: frame.second, users: 0, iterations: 0, due: 0, count: 0, errors: 0, sumMs: 0 }));
    totals.users += frame.activeUsers;
    totals.iterations += frame.iterationsPassed + frame.iterationsFailed;
    totals.due += (frame.lateness?.count ?? 0) + frame.missedArrivals;
    for (const { step, tally } of frame.items) {
      if (step !== null) continue;
      totals.count += tally.count;
      totals.errors += tally.errors;
      totals.sumMs += tally.sum;
    }
  }
  return [...bySecond.values()].sort((left, right) => left.second - right.second);
}

/** Seconds within a period. */
export const within = (seconds: readonly SecondTotals[], { fromSecond, toSecond }: Period): SecondTotals[] =>
  seconds.filter(({ second }) => second >= fromSecond && second < toSecond);

/** A moment of a run as people read it: `12:05` min:s, with hours where there are some. */
export function clockText(second: number): string {
  const whole = Math.max(0, Math.round(second));
  const two = (value: number) => String(value).padStart(2, '0');
  const hours = Math.floor(whole / 3600);
  return `${hours > 0 ? `${hours}:` : ''}${two(Math.floor(whole / 60) % 60)}:${two(whole % 60)}`;
}

/** A figure as it stands in a sentence: three digits that count, with separators. */
export function figureText(value: number): string {
  if (!Number.isFinite(value)) return 'without end';
  const digits = Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : 2;
  return Number(value.toFixed(digits)).toLocaleString('en', { maximumFractionDigits: digits });
}

/** How many of how many failed, as it stands in a sentence: `60 of 200 samples (30.0 %)`. */
export const failedText = (failures: number, count: number, what: string): string =>
  `${failures.toLocaleString('en')} of ${count.toLocaleString('en')} ${what} (${((100 * failures) / count).toFixed(1)} %)`;
