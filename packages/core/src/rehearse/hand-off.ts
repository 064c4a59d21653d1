import { describeExtractor } from '../extractors/describe-extractor.js';
import type { Script } from '../script/script.schema.js';
import type { LoadedTake } from '../take/take.schema.js';
import { visitCandidates } from '../correlate/find/candidates.js';
import { HandoffMaker } from '../correlate/make/handoff-maker.js';
import { ValueIndex } from '../correlate/find/value-index.js';

/** Hands off a value that the tester points at; says the new handoff, or null where no earlier answer holds the value. */
export function handOffValue(
  script: Script,
  loaded: LoadedTake,
  { step, place }: { step: string; place: string },
): { script: Script; handoff: string } | null {
  const maker = new HandoffMaker(script);
  const values: string[] = [];
  visitCandidates(script, loaded, ValueIndex.of(loaded, script), (candidate) => {
    const [origin] = candidate.origins;
    if (candidate.step.id !== step || candidate.node.place !== place || !origin) return false;
    values.push(candidate.value);
    return maker.handOff(
      candidate,
      origin,
      'likely',
      `You chose to hand it off; a response gave it first (${describeExtractor(origin.extractor)}).`,
    );
  });
  const [value] = values;
  const handoff = value === undefined ? undefined : maker.handoffOf(value);
  return handoff === undefined ? null : { script: maker.result().script, handoff };
}
