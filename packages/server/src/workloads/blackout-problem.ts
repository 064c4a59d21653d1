import { blackoutsBetween, momentWords, runSeconds, type Blackout, type Workload } from '@sturdy/core';

/** Why a run may not begin at a moment (ms since 1970): a time in which nothing may run touches it. In a sentence; null where it may. */
export function forbiddenBy(
  blackouts: readonly Blackout[],
  environmentId: string,
  workload: Pick<Workload, 'curve' | 'crews' | 'limitSeconds'>,
  atMs: number,
): string | null {
  const [first] = blackoutsBetween(blackouts, environmentId, atMs, atMs + runSeconds(workload) * 1000);
  if (!first) return null;
  const { blackout, fromMs, untilMs } = first;
  const from = momentWords(fromMs, blackout.zone);
  const until = momentWords(untilMs, blackout.zone);
  return fromMs <= atMs
    ? `Nothing may run until ${until}: ${blackout.why}. Wait, or change that time on the page Schedule.`
    : `The run would go on into a time in which nothing may run, from ${from} until ${until}: ${blackout.why}. Begin it earlier, shorten it, or change that time on the page Schedule.`;
}
