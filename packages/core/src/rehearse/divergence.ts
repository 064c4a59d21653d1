import { cutText } from '../cut-text.js';
import { isPlainWord } from '../take/messages.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import type { HtmlElement } from '../answers/html.js';
import type { SentValue } from '../actions/sent-values.js';
import { actionSteps, type Script } from '../script/script.schema.js';
import { boundPlaces, isRecorded, sentValues, type RecordedStep } from '../actions/sent-parts.js';
import { isCounted } from '../script-edit/coverage.js';
import { capturedView, wasAnswered, type Captured } from './captured.js';
import { faultTexts } from './failure-signs.js';
import { saysTaken } from './said.js';
import type { Divergence, RehearsedStep } from './rehearsal.schema.js';
import { wordsOfCode } from '../failure/failure-codes.js';
import { actionKindOf, exchangesOf } from '../actions/action-kinds.js';
import type { ActionStep, CapturedStep } from '../actions/action-step.schema.js';

/** Where a rehearsal first left the take, why most likely, and what to do; null where it did not. */
export function firstDivergence(script: Script, steps: readonly RehearsedStep[], captured: Captured): Divergence | null {
  const first = steps.find((step) => step.verdict !== 'passed');
  if (!first) return null;
  const actions = actionSteps(script);
  const numberOf = (id: string) => actions.find(({ step }) => step.id === id)?.number ?? 0;
  const action = actions.find(({ step }) => step.id === first.step);
  const what = action ? `Step ${first.number}, ${action.step.name}` : `Step ${first.number}`;
  const base = { step: first.step, number: first.number, refused: null };
  const happened = `${what}: ${first.reasons[0] ?? 'it differs from the take.'}`;
  if (first.captured && !wasAnswered(first.captured))
    return {
      ...base,
      sentence: happened,
      cause: 'unreachable',
      advice: 'See whether the application runs and the environment names the right address, then rehearse again.',
    };
  const missing = captured.missing.find((missingValue) => boundTo(action?.step, missingValue.handoff));
  if (missing)
    return {
      ...base,
      sentence: `${happened} It needs “${script.handoffs.find((handoff) => handoff.id === missing.handoff)?.name ?? 'a value'}”, which step ${numberOf(missing.step)} did not give.`,
      cause: 'missing-value',
      handoff: missing.handoff,
      advice: 'Look at the answer of that step: the extractor found nothing there.',
    };
  // What this step sends stale, or else what an earlier one did: a visit often ends one step later.
  const stale =
    first.stale[0] ??
    steps
      .filter((step) => step.number < first.number)
      .flatMap((step) => step.stale)
      .at(-1);
  if (stale) {
    const where = stale.step === first.step ? 'It' : `Step ${numberOf(stale.step)}`;
    const isOnlyStale = first.stale.length > 0 && first.verdict === 'drifted' && first.reasons.length === first.stale.length;
    return {
      ...base,
      sentence: `${isOnlyStale ? `${what} answered as in the take, but proves nothing.` : happened} ${where} sent ${stale.name} “${cutText(stale.recorded, 48)}” from the take; the server now gives “${cutText(stale.current, 48)}” at step ${numberOf(stale.origin)} (${describeExtractor(stale.extractor)}).`,
      cause: 'stale-value',
      advice: `Hand ${stale.name} off: read it at step ${numberOf(stale.origin)} and send what is read.`,
    };
  }
  const refused = action && isRecorded(action.step) && first.captured ? refusedValue(action.step, first.captured, captured) : null;
  if (refused !== null)
    return {
      ...base,
      refused,
      sentence: `${happened} The answer names “${cutText(refused, 48)}”, which this step sent as it was typed in the take.`,
      cause: 'refused-value',
      advice: 'This value can be used only once. Bind it to a column of a data table, or let a new one be made.',
    };
  return {
    ...base,
    sentence: happened,
    cause: 'unknown',
    advice: adviceOf(action?.step, first),
  };
}

/** What to do about a difference that nothing explains. */
function adviceOf(step: ActionStep | undefined, { code, redirect }: RehearsedStep): string {
  // Without a recording there is nothing to compare with; the failure itself says most.
  const words = step && exchangesOf(step).length === 0 && code !== undefined ? wordsOfCode(code) : null;
  if (words) return words.advice;
  return redirect === undefined
    ? 'Compare the two answers of this step; look for a value that a page script computes.'
    : `Let it lead to ${redirect}: the part that differs is made anew on each visit.`;
}

const boundTo = (step: ActionStep | undefined, handoff: string): boolean =>
  step !== undefined && JSON.stringify(actionKindOf(step).sent(step)).includes(`"handoff":"${handoff}"`);

/** A typed value that the fault text of the answer quotes, or that stands in the field beside a text which says that it is taken. */
function refusedValue(step: RecordedStep, played: CapturedStep, captured: Captured): string | null {
  const view = capturedView(played, captured.readBody);
  if (!view) return null;
  const bound = boundPlaces(step);
  const typed = sentValues(step).filter((sent) => isCounted(sent) && !bound.has(sent.place));
  const { elements, alerts, alertsAt } = view.html;
  for (const [at, text] of alerts.entries()) {
    if (!saysTaken.test(text)) continue;
    const from = alertsAt[at] ?? 0;
    const field = elements.slice(from).find((element) => typed.some((sent) => isFieldOf(element, sent)));
    const sent = field && typed.find((value) => isFieldOf(field, value));
    if (sent) return sent.value;
  }
  const said = faultTexts(view).join(' ');
  // The longest value that is quoted; a plain word may stand in the sentence by chance.
  const [quoted] = typed
    .filter((sent) => sent.value.length >= 4 && !isPlainWord(sent.value) && said.includes(sent.value))
    .sort((left, right) => right.value.length - left.value.length);
  return quoted?.value ?? null;
}

/** Nobody types into a hidden field. */
const isFieldOf = ({ name, attributes }: HtmlElement, sent: SentValue): boolean =>
  /^(input|textarea)$/.test(name) &&
  !/^hidden$/i.test(attributes['type'] ?? '') &&
  attributes['name'] === sent.name &&
  sent.value.length >= 3 &&
  attributes['value'] === sent.value;
