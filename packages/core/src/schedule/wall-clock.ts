import { DateTime } from 'luxon';

/**
 * How a time on the wall meets the changes of daylight saving: `plain`, `skipped` where the clocks go past it, `twice` where they come to it a second
 * time.
 */
export type ClockChange = 'plain' | 'skipped' | 'twice';

/** The moment at which a clock on the wall shows a time. */
export interface WallMoment {
  /** In ms since 1970. */
  ms: number;
  clock: ClockChange;
}

/**
 * The moment at which clocks in a zone show a day and a time. A time that the clocks skip is the moment at which they go forward; of a time that comes
 * twice it is the first. Rules of zones are those of the IANA database, as this machine has them.
 */
export function wallMoment(day: string, time: string, zone: string): WallMoment {
  const shown = DateTime.fromISO(`${day}T${time}`, { zone });
  // A time that is not there is shifted past the gap.
  if (shown.toFormat('HH:mm') !== time) return { ms: changeBefore(shown), clock: 'skipped' };
  const moments = shown.getPossibleOffsets().map((moment) => moment.toMillis());
  return { ms: Math.min(...moments), clock: moments.length > 1 ? 'twice' : 'plain' };
}

/** The last change of the clocks within a day before a moment, to the minute, in ms since 1970. */
function changeBefore(moment: DateTime): number {
  let [before, after] = [moment.minus({ hours: 24 }), moment];
  while (after.toMillis() - before.toMillis() > 60_000) {
    const middle = before.plus(Math.floor((after.toMillis() - before.toMillis()) / 120_000) * 60_000);
    if (middle.offset === moment.offset) after = middle;
    else before = middle;
  }
  return after.toMillis();
}
