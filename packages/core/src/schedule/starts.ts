import { DateTime } from 'luxon';
import type { Repetition, Schedule, StartChange } from './schedule.schema.js';
import { wallMoment, type ClockChange } from './wall-clock.js';

/** A start of a schedule. */
export interface PlannedStart {
  /** When the schedule has it, ISO 8601 in UTC; names this start whatever becomes of it. */
  planned: string;
  /** When it will be, in ms since 1970. */
  ms: number;
  /** The time that the schedule names, as the clock on the wall shows it. */
  wallTime: string;
  clock: ClockChange;
  /** What somebody has changed; null where nothing. */
  change: StartChange | null;
}

/** Days that are looked through for one answer, at the most: some 12 years. */
const mostDays = 4500;
const dayMs = 86_400_000;

/** True where a schedule has a start on a day of its zone. */
function isOn(repetition: Repetition, day: DateTime): boolean {
  const iso = day.toISODate() ?? '';
  if (repetition.kind === 'once') return iso === repetition.day;
  if (iso < repetition.from) return false;
  if (repetition.kind === 'weekly') return repetition.days.includes(day.weekday);
  if (day.weekday !== repetition.day) return false;
  return repetition.which === 5 ? day.plus({ days: 7 }).month !== day.month : Math.ceil(day.day / 7) === repetition.which;
}

/** The starts that a schedule has by itself after `fromMs` up to and with `toMs` (ms since 1970), the first `most` of them. */
function plannedBetween({ repetition, zone, changes }: Schedule, fromMs: number, toMs: number, most: number): PlannedStart[] {
  const found: PlannedStart[] = [];
  const { time } = repetition;
  // From the day before: its start may have been skipped into this one.
  let day = DateTime.fromMillis(fromMs, { zone }).startOf('day').minus({ days: 1 });
  const first = repetition.kind === 'once' ? repetition.day : repetition.from;
  const firstDay = DateTime.fromISO(first, { zone });
  if (firstDay > day) day = firstDay;
  const last = repetition.kind === 'once' ? repetition.day : (repetition.until ?? '9999-12-31');
  for (
    let looked = 0;
    looked < mostDays && day.toMillis() <= toMs && (day.toISODate() ?? '') <= last && found.length < most;
    looked++, day = day.plus({ days: 1 })
  ) {
    if (!isOn(repetition, day)) continue;
    const { ms, clock } = wallMoment(day.toISODate() ?? '', time, zone);
    if (ms <= fromMs || ms > toMs) continue;
    const planned = new Date(ms).toISOString();
    found.push({ planned, ms, wallTime: time, clock, change: changes.find((change) => change.planned === planned) ?? null });
  }
  return found;
}

/**
 * The starts of a schedule after `fromMs` up to and with `toMs` (ms since 1970), in order: those that were put off stand where they are now, canceled
 * ones where they would have been. The first `most` of them.
 */
export function startsBetween(schedule: Schedule, fromMs: number, toMs: number, most = 500): PlannedStart[] {
  const staying = plannedBetween(schedule, fromMs, toMs, most).filter(({ change }) => change?.to == null);
  const moved = schedule.changes.flatMap((change): PlannedStart[] => {
    if (change.to === null) return [];
    const [ms, plannedMs] = [Date.parse(change.to), Date.parse(change.planned)];
    if (ms <= fromMs || ms > toMs) return [];
    // What the schedule no longer has is not put off either.
    return plannedBetween(schedule, plannedMs - 1, plannedMs, 1).map((start) => ({ ...start, ms, clock: 'plain' as const }));
  });
  return [...staying, ...moved].sort((left, right) => left.ms - right.ms).slice(0, most);
}

/** The next start after a moment (ms since 1970) that is not canceled; null where there is none within about 12 years, or the schedule is paused. */
export function nextStart(schedule: Schedule, afterMs: number): PlannedStart | null {
  if (schedule.isPaused) return null;
  // One more than can be canceled.
  const starts = startsBetween(schedule, afterMs, afterMs + mostDays * dayMs, schedule.changes.length + 1);
  return starts.find(({ change }) => change?.to !== null) ?? null;
}
