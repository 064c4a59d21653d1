import type { LoadedTake } from '../take/take.schema.js';
import { describeExtractor } from '../script/describe-extractor.js';
import { changeRequests, requestSteps, type Script } from '../script/script.schema.js';
import { isLeaf } from '../script/sent-values.js';
import { visitCandidates, visitStill } from '../correlate/candidates.js';
import { HandoffMaker, type Correlated } from '../correlate/handoff-maker.js';
import { freshKind } from '../correlate/shapes.js';
import { ValueIndex } from '../correlate/value-index.js';
import type { Rehearsal } from './rehearsal.schema.js';

/**
 * Makes handoffs of the values that a rehearsal proved stale, and lets a refused typed value be made anew where its form
 * allows. The report is empty where the rehearsal gave no ground for a change.
 */
export function repair(script: Script, loaded: LoadedTake, rehearsal: Pick<Rehearsal, 'steps' | 'divergence'>): Correlated {
  const maker = new HandoffMaker(script);
  const key = (step: string, place: string, start: number, end: number) => `${step} ${place} ${start} ${end}`;
  const stale = new Map(
    rehearsal.steps
      .flatMap((one) => one.stale)
      .map((one) => [key(one.step, one.place, one.part?.start ?? 0, one.part?.end ?? one.recorded.length), one]),
  );
  const index = new ValueIndex(loaded, script);
  const numbers = new Map(requestSteps(script).map(({ step, number }) => [step.id, number]));
  visitCandidates(script, loaded, index, (candidate) => {
    const proof = stale.get(key(candidate.step.id, candidate.node.place, candidate.start, candidate.end));
    const origin = proof && candidate.origins.find((one) => JSON.stringify(one.extractor) === JSON.stringify(proof.extractor));
    if (!proof || !origin) return false;
    return maker.handOff(
      candidate,
      origin,
      'proven',
      `The rehearsal sent it as recorded while step ${numbers.get(proof.origin) ?? '?'} now gave another (${describeExtractor(proof.extractor)}).`,
    );
  });
  const refused = rehearsal.divergence?.refused;
  const fresh = refused ? freshKind(refused) : null;
  if (refused && fresh) {
    for (const { step } of requestSteps(script))
      visitStill(step, (node) => {
        if (!isLeaf(node) || node.value !== refused) return false;
        maker.make(
          { step, node, value: node.value, start: 0, end: node.value.length },
          fresh.made,
          `The answer refused the typed one, and ${fresh.reason}.`,
        );
        return true;
      });
  }
  const eased = rehearsal.steps.flatMap(({ step, redirect }) => (redirect === undefined ? [] : [{ step, redirect }]));
  const repaired = maker.result();
  const wider = new Map(eased.map((one) => [one.step, one.redirect]));
  return {
    script: changeRequests(repaired.script, (step) => {
      const redirect = wider.get(step.id);
      return redirect === undefined ? step : { ...step, expect: { ...step.expect, redirect } };
    }),
    report: {
      ...repaired.report,
      eased: eased.map(({ step, redirect }) => ({
        step: numbers.get(step) ?? 0,
        reason: `It was led to another address of the same form, and the page there is built as in the take; now ${redirect} is accepted.`,
      })),
      unsure: repaired.script.unsure.length,
    },
  };
}
