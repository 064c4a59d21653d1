import type { LoadedTake } from '../take/take.schema.js';
import { isPicked, matchesOf } from '../script/extract.js';
import { placeOfResponse, type Script } from '../script/script.schema.js';
import { nameBefore, visitCandidates } from '../correlate/candidates.js';
import { Judge } from '../correlate/judge.js';
import { plainName } from '../correlate/naming.js';
import { SecondTake } from '../correlate/second-take.js';
import { ValueIndex, type Origin } from '../correlate/value-index.js';
import { bitsOfLikelihood, type Weight } from '../correlate/weigh.js';
import { PatternBook } from '../patterns/match.js';
import { publishedPatterns } from '../patterns/published.js';
import { capturedView, lastOfEach, type Captured } from './captured.js';
import type { CapturedStep, StaleValue } from './rehearsal.schema.js';

/** An origin that still gives the recorded value clears it, unless another one is this much more likely. */
const bitsToOverrule = 6;

/**
 * Every value that was sent as recorded while its origin now gives another one, of passing steps too. An origin counts only as far as
 * something but chance ties it to the value, and where a second take does not contradict it.
 */
export function staleValues(script: Script, loaded: LoadedTake, captured: Captured, second: LoadedTake | null = null): StaleValue[] {
  const twin = second && new SecondTake(loaded, second);
  const index = new ValueIndex(loaded, script, twin?.moving);
  const judge = new Judge(loaded, index, twin, new PatternBook(publishedPatterns));
  const byStep = lastOfEach(captured.steps);
  const stale: StaleValue[] = [];
  visitCandidates(script, loaded, index, (candidate) => {
    const { step, node, value, start, end } = candidate;
    if (!byStep.has(step.id)) return true;
    const isWhole = value === node.value;
    const other = twin?.valueAt(candidate.exchange.n, node.place);
    // What a person typed or chose is no matter of any answer.
    if (isWhole) {
      const input = judge.inputOf(node, candidate, other);
      if (input?.kind === 'typed' || input?.kind === 'chosen') return true;
    }
    const name = isWhole ? node.name : nameBefore(node, start);
    const weighed = judge.plausible({ value, name, place: node.place }, candidate.origins, isWhole ? other : undefined, candidate);
    const found = currentValue(value, weighed, index, script, byStep, captured);
    if (found === 'unknown') return false;
    if (found !== 'same')
      stale.push({
        step: step.id,
        place: node.place,
        ...(isWhole ? {} : { part: { start, end } }),
        name: plainName(name, node.place),
        recorded: value,
        ...found,
      });
    return true;
  });
  return stale;
}

function currentValue(
  value: string,
  weighed: readonly { origin: Origin; weight: Weight }[],
  index: ValueIndex,
  script: Script,
  byStep: Map<string, CapturedStep>,
  captured: Captured,
): Pick<StaleValue, 'current' | 'origin' | 'extractor' | 'bits'> | 'same' | 'unknown' {
  let found: Pick<StaleValue, 'current' | 'origin' | 'extractor' | 'bits'> | undefined;
  for (const { origin, weight } of weighed) {
    if (found && weight.bits < found.bits - bitsToOverrule) break;
    const place = placeOfResponse(script, origin.exchange.n);
    const replay = byStep.get(place?.step ?? '');
    const view = replay && capturedView(replay, captured.readBody, place?.hop);
    if (!place || !view) continue;
    const now = matchesOf(origin.extractor, view);
    const then = matchesOf(origin.extractor, index.view(origin.exchange.n) ?? view);
    // What is gone altogether says nothing; what is still offered is not stale.
    if (now.length === 0) continue;
    const picked = 'pick' in origin.extractor ? origin.extractor.pick : undefined;
    if (isPicked(value, origin.extractor, now)) return 'same';
    if (found || weight.bits < bitsOfLikelihood) continue;
    const at = picked === 'any' ? Math.min(Math.max(0, then.indexOf(value)), now.length - 1) : picked === 'last' ? now.length - 1 : 0;
    found = { current: now[at] ?? '', origin: place.step, extractor: origin.extractor, bits: weight.bits };
  }
  return found ?? 'unknown';
}
