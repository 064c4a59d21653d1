import type { HostSeries } from '../hosts/watch.schema.js';
import type { HostLimit } from '../workload/workload.schema.js';
import type { HostVerdict } from './verdict.schema.js';

/** The highest average of a figure over any stretch of so many seconds within a period; of all of it where it is shorter. Gaps are left out. */
export function highestAverage(
  points: HostSeries['points'],
  seconds: number,
  period: { fromSecond: number; toSecond: number },
): { value: number; second: number } | null {
  const values = points.flatMap(([second, value]): [number, number][] =>
    value !== null && second >= period.fromSecond && second < period.toSecond ? [[second, value]] : [],
  );
  const first = values[0];
  if (!first) return null;
  const length = Math.min(seconds, period.toSecond - period.fromSecond);
  let best: { value: number; second: number } | null = null;
  let from = 0;
  let sum = 0;
  for (const [at, [second, value]] of values.entries()) {
    sum += value;
    while ((values[from]?.[0] ?? second) <= second - length) {
      sum -= values[from]?.[1] ?? 0;
      from++;
    }
    // A stretch that has only begun says nothing of its average.
    const isWhole = second - period.fromSecond >= length - (values[1] ? values[1][0] - first[0] : 1) - 1e-9;
    const average = sum / (at - from + 1);
    if (isWhole && (!best || average > best.value)) best = { value: average, second: Math.max(period.fromSecond, second - length) };
  }
  return best ?? { value: sum / (values.length - from), second: first[0] };
}

/** Judges the limits of hosts over the hold of a run: a prolonged excess counts, a short peak does not. A figure that was not read does not hold. */
export function judgeHosts(
  limits: readonly HostLimit[],
  hosts: readonly HostSeries[],
  period: { fromSecond: number; toSecond: number },
): HostVerdict[] {
  return limits.flatMap((limit): HostVerdict[] => {
    const { figure, forMinutes } = limit;
    const fitting = hosts.filter(
      (series) =>
        series.name.toLowerCase().includes(figure.toLowerCase()) &&
        (limit.host === '' || series.host.toLowerCase() === limit.host.toLowerCase()),
    );
    const seconds = 60 * forMinutes;
    const whole = period.toSecond - period.fromSecond;
    const span =
      whole < seconds ? `over the whole hold of ${whole} s, which is shorter than ${minutes(forMinutes)}` : `in any ${minutes(forMinutes)}`;
    const read = fitting.flatMap((series) => {
      const highest = highestAverage(series.points, seconds, period);
      return highest ? [{ series, highest }] : [];
    });
    if (read.length === 0)
      return [
        {
          limit,
          held: false,
          measured: null,
          marginPercent: null,
          second: null,
          sentence: `${limit.host === '' ? 'No host' : limit.host} gave the figure “${figure}” in the hold, so its limit cannot be judged. Watch it on the page Hosts.`,
        },
      ];
    return read.map(({ series, highest }) => {
      const held = highest.value <= limit.limit;
      const marginPercent = limit.limit === 0 ? (held ? 0 : -100) : (100 * (limit.limit - highest.value)) / limit.limit;
      const unit = series.unit === '' ? '' : ` ${series.unit}`;
      const shown = (value: number) => `${Number(value.toFixed(1)).toLocaleString('en')}${unit}`;
      return {
        limit,
        held,
        measured: highest.value,
        marginPercent,
        second: highest.second,
        sentence: `${series.host}: ${series.name} ${shown(highest.value)} on average at most ${held ? 'holds' : 'misses'} the limit of ${shown(limit.limit)} by ${Math.abs(marginPercent).toFixed(0)} %, ${span}.`,
      };
    });
  });
}

const minutes = (count: number): string => (count === 1 ? 'minute' : `${count} minutes`);
