import { addsNothing, type CorrelationReport } from '../correlate/make/handoff-maker.js';
import type { Proof } from './proof.schema.js';
import type { Script } from '../script/script.schema.js';
import type { Tried } from './hypothesis.schema.js';
import { resultOf, type Rehearsal, type RehearsalResult } from './rehearsal.schema.js';
import { isSure, type Experiment } from './repair.js';

/** Rehearsals of one *Rehearse and repair*, before it is the tester's turn; the second one of a proof counts. */
export const mostRounds = 8;

type Judged = Pick<Rehearsal, 'verdict' | 'steps' | 'divergence'>;

/** One round of the loop: the rehearsal, what it added to the script, and what it told of what was tried before it. */
export interface Round<R extends Judged = Rehearsal> {
  rehearsal: R;
  /** Null where nothing was changed after it. */
  report: CorrelationReport | null;
  /** What the changes before this round rested on, and whether it went further with them. */
  tried: Tried[];
  /** Present where this round was the second that passed in a row. */
  proof?: Proof;
}

/** What one round needs from outside: playing, judging and repairing may run in other threads. */
export interface RoundsWork<R extends Judged> {
  rehearse: (script: Script) => Promise<R>;
  repair: (script: Script, rehearsal: R, proof: Proof | null, failed: readonly string[]) => Promise<Experiment>;
  prove: (script: Script, first: R, again: R) => Promise<Proof>;
  /** Told of each changed script, so that nothing is lost if the next round fails. */
  repaired?: (script: Script) => Promise<void>;
}

/** What came of the rounds. */
export interface RoundsDone<R extends Judged = Rehearsal> {
  script: Script;
  rounds: Round<R>[];
  proof: Proof | null;
  result: RehearsalResult;
}

/** How far a rehearsal came: steps passed before the first that did not, then how many passed, then how little is open. */
function reach(rehearsal: Judged, proof: Proof | null): [number, number, number] {
  const first = rehearsal.steps.findIndex((step) => step.verdict !== 'passed');
  const good = rehearsal.steps.filter((step) => step.verdict === 'passed').length;
  return [first < 0 ? rehearsal.steps.length : first, good, proof ? -proof.open.length : -1000];
}

function isFurther(left: readonly number[], right: readonly number[]): boolean {
  const at = left.findIndex((entry, place) => entry !== right[place]);
  return at >= 0 && (left[at] ?? 0) > (right[at] ?? 0);
}

/** So often a script is played again where a connection failed. */
const mostPlayedAgain = 2;

const isUnreachable = ({ divergence }: Judged): boolean => divergence?.cause === 'unreachable';

/** What a script had come to before something was tried with it. */
interface Basis<R extends Judged> {
  script: Script;
  sure: Script;
  rehearsal: R;
  proof: Proof | null;
  reach: [number, number, number];
}

/**
 * Rehearses and repairs until the script is proven, nothing is left to try, or the rounds are used up. A script that passes is rehearsed once
 * more at once. What was tried and did not help is taken back, unless it is beyond doubt.
 */
export async function repairInRounds<R extends Judged>(script: Script, work: RoundsWork<R>, most = mostRounds): Promise<RoundsDone<R>> {
  const rounds: Round<R>[] = [];
  const failed: string[] = [];
  let current = script;
  let basis: Basis<R> | null = null;
  let pending: Experiment | null = null;
  let best: { proof: Proof | null; result: RehearsalResult } = { proof: null, result: 'failed' };
  while (rounds.length < most) {
    let rehearsal = await work.rehearse(current);
    rounds.push({ rehearsal, report: null, tried: [] });
    // A connection that fails tells nothing of any value: the same is played again before anything is supposed.
    for (let again = 0; isUnreachable(rehearsal) && again < mostPlayedAgain && rounds.length < most; again++) {
      rehearsal = await work.rehearse(current);
      rounds.push({ rehearsal, report: null, tried: [] });
    }
    if (isUnreachable(rehearsal)) {
      best = { proof: null, result: 'failed' };
      // What was only being tried is not kept on the word of a connection.
      if (basis && pending) {
        current = basis.sure;
        await work.repaired?.(current);
      }
      break;
    }
    let proof: Proof | null = null;
    if (rehearsal.verdict === 'passed' && rounds.length < most) {
      const again = await work.rehearse(current);
      const round: Round<R> = { rehearsal: again, report: null, tried: [] };
      rounds.push(round);
      if (again.verdict === 'passed') {
        proof = await work.prove(current, rehearsal, again);
        round.proof = proof;
      } else rehearsal = again;
    }
    let reached = reach(rehearsal, proof);
    let result = resultOf({ verdict: rehearsal.verdict, proof: proof ?? undefined });
    if (basis && pending) {
      const helped = isFurther(reached, basis.reach);
      const round = rounds.at(-1);
      if (round)
        round.tried = pending.tried.map((hypothesis) => ({
          ...hypothesis,
          outcome: helped ? 'helped' : isSure(hypothesis) ? 'kept' : 'taken back',
        }));
      if (!helped) {
        failed.push(...pending.tried.map((hypothesis) => hypothesis.id));
        current = basis.sure;
        // What is beyond doubt stays, and then what this rehearsal told holds for the script as it is.
        if (basis.sure === basis.script) {
          ({ rehearsal, proof, reach: reached } = basis);
          result = resultOf({ verdict: rehearsal.verdict, proof: proof ?? undefined });
        }
        await work.repaired?.(current);
      }
    }
    best = { proof, result };
    if (result === 'proven') break;
    if (rounds.length >= most) break;
    const experiment = await work.repair(current, rehearsal, proof, failed);
    if (experiment.tried.length === 0 || (addsNothing(experiment.report) && experiment.script === current)) break;
    const last = rounds.at(-1);
    if (last) last.report = experiment.report;
    basis = { script: current, sure: experiment.sure, rehearsal, proof, reach: reached };
    pending = experiment;
    current = experiment.script;
    await work.repaired?.(current);
  }
  return { script: current, rounds, ...best };
}
