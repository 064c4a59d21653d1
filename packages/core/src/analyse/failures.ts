import { failureKind } from '../failure/failure-reason.js';
import type { Failure } from '../measure/frame.schema.js';

/** Groups failures of the same step, code and subject: counts are added, the first example stays. */
export function groupFailures(failures: readonly Failure[]): Failure[] {
  const groups = new Map<string, Failure>();
  for (const failure of failures) {
    const key = `${failure.crew} ${failure.step} ${failureKind(failure)}`;
    const known = groups.get(key);
    if (!known) groups.set(key, { ...failure });
    else {
      known.count += failure.count;
      known.firstSecond = Math.min(known.firstSecond, failure.firstSecond);
      known.lastSecond = Math.max(known.lastSecond, failure.lastSecond);
      known.example ??= failure.example;
    }
  }
  return [...groups.values()].sort((left, right) => right.count - left.count);
}
