import type { LoadedTake } from '../take/take.schema.js';
import { describeExtractor } from '../script/extract.js';
import { requestSteps, type Script } from '../script/script.schema.js';
import { boundPlaces, sentValues } from '../script/request-parts.js';
import { placesOf } from '../script/bind-data.js';
import { findCandidates, HandoffMaker, type Correlated } from '../correlate/correlate.js';
import { freshKind } from '../correlate/shapes.js';
import { ValueIndex } from '../correlate/value-index.js';
import type { Rehearsal } from './rehearsal.schema.js';

/**
 * Makes handoffs of the values that a rehearsal proved stale, and lets a refused typed value be made anew where its form
 * allows. The report is empty where the rehearsal gave no ground for a change.
 */
export function repair(script: Script, loaded: LoadedTake, rehearsal: Pick<Rehearsal, 'steps' | 'divergence'>): Correlated {
  const maker = new HandoffMaker(script);
  const stale = new Map(rehearsal.steps.flatMap((one) => one.stale).map((one) => [`${one.step} ${one.place}`, one]));
  const index = new ValueIndex(loaded, script);
  const numbers = new Map(requestSteps(script).map(({ step, number }) => [step.id, number]));
  for (const candidate of findCandidates(script, loaded, index)) {
    const proof = stale.get(`${candidate.step} ${candidate.sent.place}`);
    const origin = proof && candidate.origins.find((one) => JSON.stringify(one.extractor) === JSON.stringify(proof.extractor));
    if (!proof || !origin) continue;
    maker.handOff(
      candidate,
      origin,
      'proven',
      `The rehearsal sent it as recorded while step ${numbers.get(proof.origin) ?? '?'} now gave another (${describeExtractor(proof.extractor)}).`,
    );
  }
  const refused = rehearsal.divergence?.refused;
  const fresh = refused ? freshKind(refused) : null;
  if (refused && fresh) {
    for (const { step } of requestSteps(script)) {
      const bound = boundPlaces(step);
      const places = new Set(
        placesOf(script, refused)
          .filter((one) => one.step === step.id)
          .map((one) => one.place),
      );
      for (const sent of sentValues(step))
        if (places.has(sent.place) && !bound.has(sent.place))
          maker.make(step.id, sent, fresh.made, `The answer refused the typed one, and ${fresh.reason}.`);
    }
  }
  const repaired = maker.result();
  return { script: repaired.script, report: { ...repaired.report, unsure: repaired.script.unsure.length } };
}
