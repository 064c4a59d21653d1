import type { Failure } from '../measure/frame.schema.js';

/** A message with its moving parts masked: quoted texts, numbers and tokens. */
export function normaliseMessage(message: string): string {
  return message
    .replace(/“[^”]*\d[^”]*”/g, '“…”')
    .replace(/\b[\w-]*\d[\w-]*\b/g, (word) => (/^\d{3}$/.test(word) ? word : '…'))
    .replace(/\s+/g, ' ');
}

/** Groups failures of the same step and kind: counts are added, the first example stays. */
export function groupFailures(failures: readonly Failure[]): Failure[] {
  const groups = new Map<string, Failure>();
  for (const failure of failures) {
    const key = `${failure.crew} ${failure.step} ${failure.kind}`;
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
