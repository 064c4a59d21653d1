import type { LoadedTake } from '../take/take.schema.js';
import { changeRequests, type Script } from '../script/script.schema.js';
import { HandoffMaker, type CorrelationReport } from '../correlate/make/handoff-maker.js';
import type { Hypothesis } from './hypothesis.schema.js';
import { hypothesesOf, type Seen, type Supposition } from './hypotheses.js';

/** True for what a rehearsal proved, or what no server gives: it stays even where the next one gets no further, because it is right and was not the only reason. */
export const isSure = ({ kind, likelihood }: Pick<Hypothesis, 'kind' | 'likelihood'>): boolean =>
  likelihood >= 0.9 && (kind === 'stale-value' || kind === 'wider-redirect' || kind === 'client-made');

/** Below this a supposition is not worth the records that a rehearsal makes. */
const leastLikely = 0.08;
/** So many suppositions about different steps are tried at once. */
const mostAtOnce = 3;

/** What is tried next: the script with it, the script with only what is beyond doubt, and what it rests on. */
export interface Experiment {
  script: Script;
  /** The script without what the next rehearsal has to show. */
  sure: Script;
  report: CorrelationReport;
  tried: Hypothesis[];
}

/** The script as it is, where nothing shall be or is left to be tried. */
export const nothingTried = (script: Script): Experiment => ({
  script,
  sure: script,
  report: new HandoffMaker(script).result().report,
  tried: [],
});

/**
 * Makes hypotheses of why a rehearsal left the take, and changes the script by the likeliest: all that it proved, and of the others the best
 * for each of a few steps. `failed` names those that were tried and did not help. The script is the same where nothing is left to try.
 */
export function repair(
  script: Script,
  loaded: LoadedTake,
  seen: Seen,
  second: LoadedTake | null = null,
  failed: readonly string[] = [],
): Experiment {
  const known = new Set(failed);
  const all = hypothesesOf(script, loaded, second, seen).filter(
    (supposition) => !known.has(supposition.id) && supposition.likelihood >= leastLikely,
  );
  const sure = all.filter(isSure);
  const tried = [...sure];
  // What was proven may be all there is to it; only where nothing was is something tried.
  if (sure.length === 0) {
    const steps = new Set<string>();
    for (const supposition of all) {
      if (steps.size >= mostAtOnce || steps.has(supposition.step) || (steps.size > 0 && supposition.likelihood < 0.5)) continue;
      steps.add(supposition.step);
      tried.push(supposition);
    }
  }
  const changed = applied(script, tried);
  return {
    ...changed,
    sure: sure.length === tried.length ? changed.script : sure.length === 0 ? script : applied(script, sure).script,
    tried: tried.map(({ id, kind, step, number, sentence, likelihood }) => ({ id, kind, step, number, sentence, likelihood })),
  };
}

function applied(script: Script, suppositions: readonly Supposition[]): { script: Script; report: CorrelationReport } {
  const before = suppositions.reduce((changed, supposition) => supposition.change?.(changed) ?? changed, script);
  const maker = new HandoffMaker(before);
  for (const supposition of suppositions) supposition.put?.(maker);
  const wider = new Map(
    suppositions.flatMap((supposition) =>
      supposition.kind === 'wider-redirect'
        ? [[supposition.step, supposition.id.slice(`redirect ${supposition.step} `.length)] as const]
        : [],
    ),
  );
  const made = maker.result();
  return {
    script: changeRequests(made.script, (step) => {
      const redirect = wider.get(step.id);
      return redirect === undefined ? step : { ...step, expect: { ...step.expect, redirect } };
    }),
    report: {
      ...made.report,
      eased: suppositions
        .filter((supposition) => supposition.kind === 'wider-redirect')
        .map((supposition) => ({
          step: supposition.number,
          reason: `It was led to another address of the same form, and the page there is built as in the take; now ${wider.get(supposition.step) ?? ''} is accepted.`,
        })),
      replaced: suppositions
        .filter((supposition) => supposition.change)
        .map(({ number, sentence }) => ({ step: number, reason: sentence })),
      unsure: made.script.unsure.length,
    },
  };
}
