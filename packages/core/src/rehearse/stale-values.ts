import type { LoadedTake } from '../take/take.schema.js';
import { isPicked, matchesOf } from '../extractors/extract.js';
import { sentNodes } from '../actions/sent-parts.js';
import { placeOfResponse, type Script } from '../script/script.schema.js';
import { answerOf } from '../actions/action-kinds.js';
import type { Extractor } from '../extractors/extractor.schema.js';
import { movingPieces } from '../values/template.js';
import { nameBefore, stepsOfTake, visitCandidates } from '../correlate/find/candidates.js';
import { Judge } from '../correlate/decide/judge.js';
import { plainName } from '../correlate/find/naming.js';
import { formOf, sentNames } from '../correlate/find/offered-forms.js';
import { readsAsTyped } from '../correlate/find/person-inputs.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { ValueIndex, type Origin } from '../correlate/find/value-index.js';
import { bitsOfLikelihood, bitsOfProof, type Weight } from '../correlate/weigh/weigh.js';
import { PatternBook } from '../correlate/weigh/pattern-match.js';
import { publishedPatterns } from '../patterns/published.js';
import { capturedView, lastOfEach, type Captured } from './captured.js';
import type { StaleValue } from './rehearsal.schema.js';
import type { CapturedStep } from '../actions/action-step.schema.js';
import { answerBody, sentBody } from '../take/exchanges.js';

/** An origin that still gives the recorded value clears it, unless another one is this much more likely. */
const bitsToOverrule = 6;

/**
 * Every value that was sent as recorded while its origin now gives another one, of passing steps too. An origin counts only as far as
 * something but chance ties it to the value, and where a second take does not contradict it.
 */
export function staleValues(script: Script, loaded: LoadedTake, captured: Captured, second: LoadedTake | null = null): StaleValue[] {
  const twin = second && new SecondTake(loaded, second);
  const index = ValueIndex.of(loaded, script, twin?.moving);
  const judge = new Judge(loaded, index, twin, new PatternBook(publishedPatterns));
  const byStep = lastOfEach(captured.steps);
  const stale: StaleValue[] = [];
  visitCandidates(script, loaded, index, (candidate) => {
    const { step, node, value, start, end } = candidate;
    if (!byStep.has(step.id)) return true;
    const isWhole = value === node.value;
    const otherValue = twin?.valueAt(candidate.exchange.n, node.place);
    // What a person typed or chose is no matter of any answer.
    if (isWhole) {
      const input = judge.inputOf(node, candidate, otherValue);
      if (input?.kind === 'typed' || input?.kind === 'chosen') return true;
    }
    const name = isWhole ? node.name : nameBefore(node, start);
    const weighed = judge.plausible({ value, name, place: node.place }, candidate.origins, isWhole ? otherValue : undefined, candidate);
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
  return [...stale, ...givenByLostAnswers(script, loaded, captured, twin, index)];
}

/** Shorter values are typed or chosen, or nobody can tell. */
const shortestToken = 12;

/**
 * Values whose origin the take does not hold, because the browser left the page before its answer was kept, as with forms that a script sends
 * on at once: the answer of this rehearsal has a field of the same name.
 */
function givenByLostAnswers(
  script: Script,
  loaded: LoadedTake,
  captured: Captured,
  twin: SecondTake | null,
  index: ValueIndex,
): StaleValue[] {
  const byStep = lastOfEach(captured.steps);
  const steps = stepsOfTake(script, loaded);
  const answers = new Map(loaded.exchanges.map((exchange) => [exchange.n, answerBody(exchange)]));
  const lost = steps.filter(({ step }) => byStep.has(step.id) && (answers.get(answerOf(step) ?? -1)?.size ?? 0) === 0);
  if (lost.length === 0) return [];
  return steps.flatMap((stepOfTake) => {
    if (!byStep.has(stepOfTake.step.id)) return [];
    return sentNodes(stepOfTake.step).flatMap((node): StaleValue[] => {
      const moves = [...movingPieces(node.template)].some((piece) => piece.kind === 'handoff' || piece.kind === 'data');
      if (moves || !/^(form|part|query):[^/]+$/.test(node.place) || node.isName || node.value.length < shortestToken) return [];
      if (readsAsTyped(node.value)) return [];
      if (twin?.valueAt(stepOfTake.exchange.n, node.place) === node.value || index.occurrences(node.value, stepOfTake.exchange).length > 0)
        return [];
      for (const { step, number } of [...lost].reverse()) {
        const replay = byStep.get(step.id);
        const view = number < stepOfTake.number && replay ? capturedView(replay, captured.readBody) : undefined;
        if (view?.kind !== 'html') continue;
        const extractor: Extractor = { kind: 'field', name: node.name, nth: 0 };
        // Only what the page itself sends: what it merely prefills a person had written over, as the take shows.
        const body = sentBody(stepOfTake.exchange);
        const names = sentNames(stepOfTake.exchange, body ? loaded.readBody(body.hash) : undefined);
        const offered = formOf(stepOfTake.exchange, names, [{ n: answerOf(step) ?? 0, html: view.html }]);
        if (offered?.fields.get(node.name)?.kind !== 'given') continue;
        const [current] = matchesOf(extractor, view);
        if (current === undefined || current === '' || current === node.value) continue;
        return [
          {
            step: stepOfTake.step.id,
            place: node.place,
            name: plainName(node.name, node.place),
            recorded: node.value,
            current,
            origin: step.id,
            extractor,
            bits: bitsOfProof,
          },
        ];
      }
      return [];
    });
  });
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
