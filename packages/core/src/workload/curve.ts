import type { LoadCurve, Workload } from './workload.schema.js';

/** Seconds from the start of the ramp-up to the end of the ramp-down. */
export const curveSeconds = (curve: LoadCurve): number => curve.rampUpSeconds + curve.holdSeconds + curve.rampDownSeconds;

/** When the n-th of `users` (from 0) starts and is asked to end, in seconds since the start of the run; spread evenly over the ramps. */
export function userSpan(curve: LoadCurve, n: number, users: number): { startSeconds: number; endSeconds: number } {
  const share = users <= 1 ? 0 : n / users;
  return {
    startSeconds: share * curve.rampUpSeconds,
    endSeconds: curve.rampUpSeconds + curve.holdSeconds + share * curve.rampDownSeconds,
  };
}

/** Virtual users that are active at a moment, over all crews. */
export function usersAt(workload: Workload, seconds: number): number {
  let active = 0;
  for (const crew of workload.crews)
    for (let n = 0; n < crew.users; n++) {
      const { startSeconds, endSeconds } = userSpan(workload.curve, n, crew.users);
      if (seconds >= startSeconds && seconds < endSeconds) active++;
    }
  return active;
}
