import type { LoadCurve } from './load-curve.schema.js';
import type { Crew, Workload } from './workload.schema.js';

/** A time in which a user plays, in seconds since the start of the run. */
export interface Span {
  startSeconds: number;
  endSeconds: number;
}

/** Steps of a staircase for so many users; the last one may add fewer. */
const stairs = (curve: Extract<LoadCurve, { kind: 'staircase' }>, users: number): number =>
  1 + Math.max(0, Math.ceil((users - curve.first) / curve.add));

/** Length of the curve for a crew of so many users, in seconds. */
function secondsFor(curve: LoadCurve, users: number): number {
  switch (curve.kind) {
    case 'ramp':
    case 'arrivals':
      return curve.rampUpSeconds + curve.holdSeconds + curve.rampDownSeconds;
    case 'at-once':
      return curve.holdSeconds + curve.rampDownSeconds;
    case 'staircase':
      return stairs(curve, users) * curve.everySeconds + curve.rampDownSeconds;
    case 'drawn':
      return curve.points.at(-1)?.seconds ?? 0;
  }
}

/** Seconds from the start of a run to the end of its curve, for the crew that takes longest. */
export const curveSeconds = ({ curve, crews }: Pick<Workload, 'curve' | 'crews'>): number =>
  Math.max(0, ...(crews.length === 0 ? [1] : crews.map((crew) => crew.users)).map((users) => secondsFor(curve, users)));

/**
 * When the n-th of `users` (from 0) plays. Users of a ramp are spread evenly over it, those that started first end first. On a drawn curve a
 * user plays wherever the curve is above it, so it may come and go several times. With arrivals nobody has a time of its own.
 */
/** How long a run of a workload lasts at the most, in seconds: its curve, cut at its limit. */
export const runSeconds = ({ limitSeconds, ...workload }: Pick<Workload, 'curve' | 'crews' | 'limitSeconds'>): number =>
  Math.min(curveSeconds(workload), limitSeconds ?? Infinity);

export function userSpans(curve: LoadCurve, n: number, users: number): Span[] {
  const order = users <= 1 ? 0 : n / users;
  switch (curve.kind) {
    case 'ramp': {
      const group = users <= 1 ? 0 : (Math.floor(n / curve.together) * curve.together) / users;
      return [
        { startSeconds: group * curve.rampUpSeconds, endSeconds: curve.rampUpSeconds + curve.holdSeconds + order * curve.rampDownSeconds },
      ];
    }
    case 'at-once':
      return [{ startSeconds: 0, endSeconds: curve.holdSeconds + order * curve.rampDownSeconds }];
    case 'staircase': {
      const step = n < curve.first ? 0 : Math.floor((n - curve.first) / curve.add) + 1;
      return [
        {
          startSeconds: step * curve.everySeconds,
          endSeconds: stairs(curve, users) * curve.everySeconds + order * curve.rampDownSeconds,
        },
      ];
    }
    case 'drawn':
      return spansAbove(curve.points, (100 * (n + 0.5)) / users);
    case 'arrivals':
      return [];
  }
}

/** When the n-th user of a crew plays: as the curve says, each start later by the crew's delay. */
export const spansOf = (curve: LoadCurve, { users, startDelayMs = 0 }: Pick<Crew, 'users' | 'startDelayMs'>, n: number): Span[] =>
  userSpans(curve, n, users).map((span) => ({ ...span, startSeconds: span.startSeconds + (n * startDelayMs) / 1000 }));

/** Iterations that begin within a time of the curve where all begin on schedule, at a pacing from start to start. */
export function startsPlanned({ curve, crews }: Pick<Workload, 'curve' | 'crews'>, { startSeconds: from, endSeconds: to }: Span): number {
  let starts = 0;
  for (const crew of crews)
    for (let n = 0; n < crew.users; n++)
      for (const { startSeconds, endSeconds } of spansOf(curve, crew, n)) {
        const before = (seconds: number) => Math.max(0, Math.ceil((seconds - startSeconds) / crew.pacing.seconds));
        starts += Math.max(0, before(Math.min(to, endSeconds)) - before(from));
      }
  return starts;
}

/** Where straight lines between points are above a level. */
function spansAbove(points: readonly { seconds: number; percent: number }[], level: number): Span[] {
  const spans: Span[] = [];
  let since: number | null = null;
  for (const [at, to] of points.entries()) {
    const from = points[at - 1] ?? { seconds: to.seconds, percent: 0 };
    const crossing =
      to.percent === from.percent
        ? to.seconds
        : from.seconds + ((level - from.percent) / (to.percent - from.percent)) * (to.seconds - from.seconds);
    if (since === null && to.percent >= level) since = from.percent >= level ? from.seconds : crossing;
    else if (since !== null && to.percent < level) {
      if (crossing > since) spans.push({ startSeconds: since, endSeconds: crossing });
      since = null;
    }
  }
  const end = points.at(-1)?.seconds ?? 0;
  if (since !== null && end > since) spans.push({ startSeconds: since, endSeconds: end });
  return spans;
}

/** Virtual users that are active at a moment, over all crews; with arrivals the most there may be. */
export function usersAt({ crews, curve }: Pick<Workload, 'crews' | 'curve'>, seconds: number): number {
  let active = 0;
  for (const crew of crews)
    for (let n = 0; n < crew.users; n++)
      if (spansOf(curve, crew, n).some((span) => seconds >= span.startSeconds && seconds < span.endSeconds)) active++;
  return active;
}

/** The part of a curve that counts for the verdict: where all users are there, ramps excluded. */
export function holdOf({ curve, crews }: Pick<Workload, 'curve' | 'crews'>): Span {
  switch (curve.kind) {
    case 'ramp':
    case 'arrivals':
      return { startSeconds: curve.rampUpSeconds, endSeconds: curve.rampUpSeconds + curve.holdSeconds };
    case 'at-once':
      return { startSeconds: 0, endSeconds: curve.holdSeconds };
    case 'staircase': {
      const most = Math.max(1, ...crews.map((crew) => crew.users));
      const count = stairs(curve, most);
      return { startSeconds: (count - 1) * curve.everySeconds, endSeconds: count * curve.everySeconds };
    }
    case 'drawn': {
      const top = Math.max(...curve.points.map((point) => point.percent));
      const [longest] = spansAbove(curve.points, top * 0.999).sort(
        (left, right) => right.endSeconds - right.startSeconds - (left.endSeconds - left.startSeconds),
      );
      // A curve that only peaks has no hold, so all of it counts.
      const end = curve.points.at(-1)?.seconds ?? 0;
      return longest && longest.endSeconds - longest.startSeconds >= 5 ? longest : { startSeconds: 0, endSeconds: end };
    }
  }
}

/** A part of a curve in which its load rises, stays or falls. */
export interface Phase extends Span {
  name: string;
}

/** The phases of a curve, in order; one that takes no time is left out. */
export function phasesOf(workload: Pick<Workload, 'curve' | 'crews'>): Phase[] {
  const { curve, crews } = workload;
  const end = curveSeconds(workload);
  const between = (cuts: readonly (readonly [name: string, until: number])[]): Phase[] =>
    cuts
      .map(([name, endSeconds], at) => ({ name, startSeconds: cuts[at - 1]?.[1] ?? 0, endSeconds }))
      .filter((phase) => phase.endSeconds > phase.startSeconds);
  if (curve.kind === 'staircase') {
    const count = stairs(curve, Math.max(1, ...crews.map((crew) => crew.users)));
    const steps = Array.from({ length: count }, (_, step) => [`step ${step + 1}`, (step + 1) * curve.everySeconds] as const);
    return between([...steps, ['ramp-down', end]]);
  }
  if (curve.kind === 'drawn') return between(curve.points.map(({ seconds }, at) => [at === 0 ? 'start' : `stretch ${at}`, seconds]));
  const { startSeconds, endSeconds } = holdOf(workload);
  return between([
    ['ramp-up', startSeconds],
    ['hold', endSeconds],
    ['ramp-down', end],
  ]);
}

/** The share of its rate, 0 to 1, at which a crew starts iterations at a moment. */
export function arrivalRate(
  { rampUpSeconds: up, holdSeconds: hold, rampDownSeconds: down }: Extract<LoadCurve, { kind: 'arrivals' }>,
  seconds: number,
): number {
  if (seconds < up) return seconds / up;
  if (seconds <= up + hold) return 1;
  return down === 0 ? 0 : Math.max(0, 1 - (seconds - up - hold) / down);
}

/** How many iterations have started by a moment on average, as a share of the rate: the integral of a trapezoid, in seconds. */
function risen(
  { rampUpSeconds: up, holdSeconds: hold, rampDownSeconds: down }: Extract<LoadCurve, { kind: 'arrivals' }>,
  seconds: number,
): number {
  const t = Math.min(Math.max(0, seconds), up + hold + down);
  const rising = up === 0 ? 0 : Math.min(t, up) ** 2 / (2 * up);
  const holding = Math.min(Math.max(0, t - up), hold);
  const left = Math.max(0, t - up - hold);
  const falling = down === 0 ? 0 : left - left ** 2 / (2 * down);
  return rising + holding + falling;
}

/** The moment at which `risen` has come to a value. */
function momentOf(curve: Extract<LoadCurve, { kind: 'arrivals' }>, value: number): number {
  const { rampUpSeconds: up, holdSeconds: hold, rampDownSeconds: down } = curve;
  if (value <= up / 2) return Math.sqrt(2 * up * value);
  if (value <= up / 2 + hold) return up + (value - up / 2);
  const left = value - up / 2 - hold;
  // Without a ramp-down nothing comes after the hold.
  return down === 0 ? up + hold : up + hold + down * (1 - Math.sqrt(Math.max(0, 1 - (2 * left) / down)));
}

/**
 * When iterations of a crew start with arrivals, in seconds since the start of the run. Constant arrivals come at even distances; Poisson
 * arrivals are those of a process of rate one over the integral of the rate (a change of time: Çinlar 1975, Introduction to Stochastic
 * Processes, 4.7).
 */
export function arrivalTimes(
  curve: Extract<LoadCurve, { kind: 'arrivals' }>,
  crew: Pick<Crew, 'ratePerHour'>,
  random: () => number,
): number[] {
  const rate = (crew.ratePerHour ?? 0) / 3600;
  const end = risen(curve, Infinity) * rate;
  const times: number[] = [];
  if (!(rate > 0)) return times;
  const next = curve.process === 'constant' ? () => 1 : () => -Math.log(1 - random());
  for (let count = curve.process === 'constant' ? 0 : next(); count < end && times.length < mostArrivals; count += next())
    times.push(momentOf(curve, count / rate));
  return times;
}

/** A run has no more arrivals than this: every load loop is bounded. */
export const mostArrivals = 5_000_000;

/** Iterations that a crew starts with arrivals, on average. */
export const expectedArrivals = (curve: Extract<LoadCurve, { kind: 'arrivals' }>, crew: Pick<Crew, 'ratePerHour'>): number =>
  Math.round((risen(curve, Infinity) * (crew.ratePerHour ?? 0)) / 3600);
