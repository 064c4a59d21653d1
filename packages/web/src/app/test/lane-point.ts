import type { LanePoint } from '@sturdy/core';

/** A second of a run, as its lanes show it. */
export const lanePoint = (second: number, more: Partial<LanePoint> = {}): LanePoint => ({
  second,
  users: 2,
  perSecond: 3,
  meanMs: 10,
  p50Ms: 9,
  p95Ms: 20,
  maxMs: 30,
  failures: 0,
  loopDelayMs: 1,
  ...more,
});
