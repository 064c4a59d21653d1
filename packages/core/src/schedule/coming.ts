import { blackoutsBetween } from './blackouts.js';
import type { Blackout, Schedule } from './schedule.schema.js';
import { startsBetween, type PlannedStart } from './starts.js';

/** A start that comes, with what will be in its way. */
export interface ComingStart {
  schedule: Schedule;
  start: PlannedStart;
  /** When its run has ended, in ms since 1970. */
  endMs: number;
  /** What will keep it from beginning, in sentences. */
  clashes: string[];
}

/**
 * The starts of all schedules after `fromMs` up to `toMs` (ms since 1970), in order. Two runs never go on at once: what begins while another is planned to go
 * on, or in a time in which nothing may run, is told with its reason. `seconds` is how long a run of each workload lasts, by its id.
 */
export function comingStarts(
  {
    schedules,
    blackouts,
    seconds,
  }: { schedules: readonly Schedule[]; blackouts: readonly Blackout[]; seconds: Readonly<Record<string, number>> },
  fromMs: number,
  toMs: number,
): ComingStart[] {
  const coming = schedules
    .filter(({ isPaused }) => !isPaused)
    .flatMap((schedule) =>
      startsBetween(schedule, fromMs, toMs).map((start) => ({
        schedule,
        start,
        endMs: start.ms + (seconds[schedule.workloadId] ?? 0) * 1000,
        clashes: [] as string[],
      })),
    )
    .sort((left, right) => left.start.ms - right.start.ms);
  const beginning = coming.filter(({ start }) => start.change?.to !== null);
  for (const [at, later] of beginning.entries()) {
    const earlier = beginning.slice(0, at).find(({ endMs }) => endMs > later.start.ms);
    if (earlier) later.clashes.push(`The run of “${earlier.schedule.name}” will still go on then.`);
    const [blackout] = blackoutsBetween(blackouts, later.schedule.environmentId, later.start.ms, later.endMs);
    if (blackout) later.clashes.push(`Nothing may run then: ${blackout.blackout.why}.`);
  }
  return coming;
}
