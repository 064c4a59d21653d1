import { addsNothing, type Correlated, type CorrelationReport } from '../correlate/handoff-maker.js';
import type { Script } from '../script/script.schema.js';
import type { Rehearsal } from './rehearsal.schema.js';

/** Rounds of rehearse and repair before it is the tester's turn. */
export const mostRounds = 4;

/** One round of the loop: the rehearsal, and what it added to the script. */
export interface Round<R extends Pick<Rehearsal, 'verdict'> = Rehearsal> {
  rehearsal: R;
  /** Null where the rehearsal passed. */
  report: CorrelationReport | null;
}

/** What one round needs from outside: playing, judging and repairing may run in other threads. */
export interface RoundsWork<R extends Pick<Rehearsal, 'verdict'>> {
  rehearse: (script: Script) => Promise<R>;
  repair: (script: Script, rehearsal: R) => Promise<Correlated>;
  /** Told of each repaired script, so that nothing is lost if the next round fails. */
  repaired?: (script: Script) => Promise<void>;
}

/** Rehearses and repairs until the script passes, nothing more can be added, or the rounds are used up. */
export async function repairInRounds<R extends Pick<Rehearsal, 'verdict'>>(
  script: Script,
  work: RoundsWork<R>,
  most = mostRounds,
): Promise<{ script: Script; rounds: Round<R>[] }> {
  const rounds: Round<R>[] = [];
  let current = script;
  for (let count = 0; count < most; count++) {
    const rehearsal = await work.rehearse(current);
    if (rehearsal.verdict === 'passed') return { script: current, rounds: [...rounds, { rehearsal, report: null }] };
    const repaired = await work.repair(current, rehearsal);
    rounds.push({ rehearsal, report: repaired.report });
    if (addsNothing(repaired.report)) break;
    current = repaired.script;
    await work.repaired?.(current);
  }
  return { script: current, rounds };
}
