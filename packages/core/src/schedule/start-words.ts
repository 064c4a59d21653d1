import { DateTime } from 'luxon';
import type { Repetition, Schedule } from './schedule.schema.js';
import type { PlannedStart } from './starts.js';

/** A moment in ms since 1970 as nobody can mistake it: Sunday, 29 March 2026, 03:00 (Europe/Berlin, UTC+2). */
export function momentWords(ms: number, zone: string): string {
  const moment = DateTime.fromMillis(ms, { zone }).setLocale('en-GB');
  const fromUtc = moment.offset === 0 ? 'UTC' : `UTC${moment.toFormat('Z')}`;
  return `${moment.toFormat('cccc, d LLLL yyyy, HH:mm')} (${zone === 'UTC' ? zone : `${zone}, ${fromUtc}`})`;
}

/** How far away a moment is: in 3 h 20 min, in 2 days 4 h, now, 12 min ago. */
export function awayWords(ms: number, nowMs: number): string {
  const minutes = Math.round(Math.abs(ms - nowMs) / 60_000);
  if (minutes === 0) return 'now';
  const [days, hours, rest] = [Math.floor(minutes / 1440), Math.floor((minutes % 1440) / 60), minutes % 60];
  const parts =
    days > 0
      ? [`${days} ${days === 1 ? 'day' : 'days'}`, hours > 0 ? `${hours} h` : '']
      : [hours > 0 ? `${hours} h` : '', rest > 0 ? `${rest} min` : ''];
  const length = parts.filter((part) => part !== '').join(' ');
  return ms > nowMs ? `in ${length}` : `${length} ago`;
}

/** What the change of the clocks means for a start, in a sentence; empty where it means nothing. */
export function clockNote({ clock, wallTime }: Pick<PlannedStart, 'clock' | 'wallTime'>): string {
  switch (clock) {
    case 'plain':
      return '';
    case 'skipped':
      return `The clocks go forward past ${wallTime} on this day, so the run begins when they do.`;
    case 'twice':
      return `The clocks go back on this day and show ${wallTime} twice; the run begins the first time.`;
  }
}

/** The days of the week, Monday first (ISO 8601). */
export const weekdayNames: readonly string[] = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
/** Which of the weekdays of a month, from `which` of a repetition less one on. */
export const whichNames: readonly string[] = ['first', 'second', 'third', 'fourth', 'last'];
const dayWords = (day: string): string => DateTime.fromISO(day, { zone: 'utc' }).setLocale('en-GB').toFormat('d LLLL yyyy');
const listWords = (words: readonly string[]): string =>
  words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words.at(-1) ?? ''}`;

function daysWords(days: readonly number[]): string {
  const sorted = [...days].sort();
  if (sorted.length === 7) return 'every day';
  if (sorted.join('') === '12345') return 'from Monday to Friday';
  return `every ${listWords(sorted.map((day) => weekdayNames[day - 1] ?? ''))}`;
}

/** When the runs of a schedule begin, in words: every Monday and Thursday at 02:30 (Europe/Berlin), until 31 January 2027. */
export function repetitionWords({ repetition, zone }: { repetition: Repetition; zone: Schedule['zone'] }): string {
  const { time } = repetition;
  if (repetition.kind === 'once') return `once, on ${dayWords(repetition.day)} at ${time} (${zone})`;
  const days =
    repetition.kind === 'weekly'
      ? daysWords(repetition.days)
      : `on the ${whichNames[repetition.which - 1] ?? ''} ${weekdayNames[repetition.day - 1] ?? ''} of each month`;
  return `${days} at ${time} (${zone})${repetition.until === null ? '' : `, until ${dayWords(repetition.until)}`}`;
}
