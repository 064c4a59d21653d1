import { arrivalRate, curveSeconds, spansOf } from './curve.js';
import type { CurveKind, CurvePoint, LoadCurve } from './load-curve.schema.js';
import type { Workload } from './workload.schema.js';

/** A curve of another kind that keeps what the two have in common. */
export function curveOfKind(kind: CurveKind, from: LoadCurve): LoadCurve {
  const { atEnd } = from;
  const rampUpSeconds = 'rampUpSeconds' in from ? from.rampUpSeconds : 10;
  const rampDownSeconds = 'rampDownSeconds' in from ? from.rampDownSeconds : 5;
  const holdSeconds = 'holdSeconds' in from ? from.holdSeconds : 60;
  switch (kind) {
    case 'ramp':
      return { kind, rampUpSeconds, holdSeconds, rampDownSeconds, together: 1, atEnd };
    case 'at-once':
      return { kind, holdSeconds, rampDownSeconds, atEnd };
    case 'staircase':
      return { kind, first: 5, add: 5, everySeconds: 30, rampDownSeconds, atEnd };
    case 'drawn':
      return { kind, points: cornersOf(rampUpSeconds, holdSeconds, rampDownSeconds), atEnd };
    case 'arrivals':
      return { kind, process: 'constant', rampUpSeconds, holdSeconds, rampDownSeconds, atEnd };
  }
}

/** The corners of a trapezoid. */
const cornersOf = (up: number, hold: number, down: number): CurvePoint[] => [
  { seconds: 0, percent: up === 0 ? 100 : 0 },
  ...(up === 0 ? [] : [{ seconds: up, percent: 100 }]),
  { seconds: up + hold, percent: 100 },
  ...(down === 0 ? [] : [{ seconds: up + hold + down, percent: 0 }]),
];

/** A place of a curve that can be taken hold of and moved; `percent` null where it moves in time only. */
export interface CurveHandle {
  seconds: number;
  percent: number | null;
  /** What is moved: “end of the ramp-up”. */
  name: string;
}

/** The places of a curve that can be moved; a staircase has none. */
export function curveHandles(curve: LoadCurve): CurveHandle[] {
  switch (curve.kind) {
    case 'drawn':
      return curve.points.map((point, at) => ({ ...point, name: `point ${at + 1}` }));
    case 'staircase':
      return [];
    default: {
      const up = 'rampUpSeconds' in curve ? curve.rampUpSeconds : null;
      const held = (up ?? 0) + curve.holdSeconds;
      return [
        ...(up === null ? [] : [{ seconds: up, percent: null, name: 'end of the ramp-up' }]),
        { seconds: held, percent: null, name: 'end of the hold' },
        { seconds: held + curve.rampDownSeconds, percent: null, name: 'end of the ramp-down' },
      ];
    }
  }
}

const longest = 86_400;

/**
 * The curve with one of its handles moved, in whole seconds and per cent. What stands after a corner of a ramp moves along; a drawn point
 * stays between its neighbours.
 */
export function moveHandle(curve: LoadCurve, at: number, to: { seconds: number; percent: number }): LoadCurve {
  const seconds = Math.max(0, Math.min(longest, Math.round(to.seconds)));
  switch (curve.kind) {
    case 'drawn': {
      const from = curve.points[at - 1]?.seconds ?? 0;
      const until = curve.points[at + 1]?.seconds ?? longest;
      const moved = {
        seconds: Math.max(from, Math.min(until, seconds)),
        percent: Math.max(0, Math.min(100, Math.round(to.percent))),
      };
      return { ...curve, points: curve.points.map((point, n) => (n === at ? moved : point)) };
    }
    case 'staircase':
      return curve;
    default: {
      const hasRampUp = 'rampUpSeconds' in curve;
      const up = hasRampUp ? curve.rampUpSeconds : 0;
      const which = hasRampUp ? at : at + 1;
      if (which === 0 && hasRampUp) return { ...curve, rampUpSeconds: seconds };
      if (which === 1) return { ...curve, holdSeconds: Math.max(1, seconds - up) };
      return { ...curve, rampDownSeconds: Math.max(0, seconds - up - curve.holdSeconds) };
    }
  }
}

/** The drawn curve with one point more, where it belongs in time. */
export function withPoint(curve: Extract<LoadCurve, { kind: 'drawn' }>, point: CurvePoint): LoadCurve {
  const before = curve.points.filter((curvePoint) => curvePoint.seconds <= point.seconds);
  return { ...curve, points: [...before, point, ...curve.points.slice(before.length)] };
}

/** Levels of all crews over time; with arrivals in iterations an hour, else in users. */
export interface CurveLevels {
  unit: 'users' | 'an hour';
  seconds: number[];
  /** For each crew a level at each of `seconds`, which holds until the next. */
  crews: { crew: string; name: string; levels: number[] }[];
}

/** Above so many changes a curve is shown at even distances. */
const mostSteps = 600;

/** What a workload asks for at each moment. */
export function curveLevels(workload: Pick<Workload, 'curve' | 'crews'>): CurveLevels {
  const { curve, crews } = workload;
  const end = curveSeconds(workload);
  const evenly = (count: number) => Array.from({ length: count + 1 }, (_, n) => (n * end) / count);
  if (curve.kind === 'arrivals') {
    const seconds = evenly(200);
    return {
      unit: 'an hour',
      seconds,
      crews: crews.map((crew) => ({
        crew: crew.id,
        name: crew.name,
        levels: seconds.map((second) => arrivalRate(curve, second) * (crew.ratePerHour ?? 0)),
      })),
    };
  }
  const changes = crews.map((crew) => {
    const starts: number[] = [];
    const ends: number[] = [];
    for (let n = 0; n < crew.users; n++)
      for (const { startSeconds, endSeconds } of spansOf(curve, crew, n)) {
        if (startSeconds >= endSeconds) continue;
        starts.push(startSeconds);
        ends.push(endSeconds);
      }
    const ordered = (list: number[]) => Float64Array.from(list).sort();
    return { starts: ordered(starts), ends: ordered(ends) };
  });
  const moments = [...new Set([0, ...changes.flatMap(({ starts, ends }) => [...starts, ...ends]), end])];
  const seconds = moments.length > mostSteps ? evenly(mostSteps) : moments.sort((left, right) => left - right);
  return {
    unit: 'users',
    seconds,
    crews: crews.map((crew, at) => {
      const { starts = new Float64Array(), ends = new Float64Array() } = changes[at] ?? {};
      let [started, ended] = [0, 0];
      return {
        crew: crew.id,
        name: crew.name,
        levels: seconds.map((second) => {
          while (started < starts.length && (starts[started] ?? 0) <= second) started++;
          while (ended < ends.length && (ends[ended] ?? 0) <= second) ended++;
          return Math.max(0, started - ended);
        }),
      };
    }),
  };
}
