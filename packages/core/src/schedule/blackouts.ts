import { DateTime } from 'luxon';
import type { Blackout } from './schedule.schema.js';
import { wallMoment } from './wall-clock.js';

/** A time in which nothing may run, in ms since 1970. */
export interface BlackoutSpan {
  blackout: Blackout;
  fromMs: number;
  untilMs: number;
}

function spansOf(blackout: Blackout, fromMs: number, untilMs: number): BlackoutSpan[] {
  const { when, zone } = blackout;
  const moment = (day: string, time: string) => wallMoment(day, time, zone).ms;
  if (when.kind === 'once') {
    const [[fromDay = '', fromTime = ''], [untilDay = '', untilTime = '']] = [when.from.split('T'), when.until.split('T')];
    return [{ blackout, fromMs: moment(fromDay, fromTime), untilMs: moment(untilDay, untilTime) }];
  }
  const found: BlackoutSpan[] = [];
  // The one that began the day before may still last.
  for (
    let day = DateTime.fromMillis(fromMs, { zone }).startOf('day').minus({ days: 1 });
    day.toMillis() <= untilMs;
    day = day.plus({ days: 1 })
  ) {
    if (!when.days.includes(day.weekday)) continue;
    const ends = when.until > when.from ? day : day.plus({ days: 1 });
    found.push({ blackout, fromMs: moment(day.toISODate() ?? '', when.from), untilMs: moment(ends.toISODate() ?? '', when.until) });
  }
  return found;
}

/** The times in which nothing may run in an environment, that touch the span between two moments (ms since 1970), the earliest first. */
export function blackoutsBetween(
  blackouts: readonly Blackout[],
  environmentId: string | null,
  fromMs: number,
  untilMs: number,
): BlackoutSpan[] {
  return blackouts
    .filter((blackout) => blackout.environmentId === null || environmentId === null || blackout.environmentId === environmentId)
    .flatMap((blackout) => spansOf(blackout, fromMs, untilMs))
    .filter((span) => span.fromMs < untilMs && span.untilMs > fromMs)
    .sort((left, right) => left.fromMs - right.fromMs);
}
