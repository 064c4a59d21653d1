import * as z from 'zod';
import type { BodyReader, LoadedTake } from '../take/take.schema.js';
import type { Fill } from '../extractors/extract.js';
import { statusIn, viewOf, type AnswerText } from '../answers/response-view.js';
import { recordedSteps, type Script } from '../script/script.schema.js';
import { actionKindOf, answerOf } from '../actions/action-kinds.js';
import { CheckSchema } from '../check/check.schema.js';
import type { Template } from '../values/template.schema.js';
import { sentNodes, type RecordedStep } from '../actions/sent-parts.js';
import { isLeaf, leavesOf, type SentNode } from '../actions/sent-values.js';
import { compact, isStill, recordedText } from '../values/template.js';
import { isPlainWord } from '../take/messages.js';
import type { CapturedStep } from '../actions/action-step.schema.js';
import { capturedView } from '../rehearse/captured.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { ValueIndex } from '../correlate/find/value-index.js';
import { holdsText } from '../check/askers/text.js';
import { playedFill } from './played-values.js';

/** A check that holds on every good answer at hand. */
export const CheckSuggestionSchema = z.object({
  step: z.string(),
  check: CheckSchema,
  /** Why it is worth asking, in a sentence. */
  reason: z.string(),
  /** On how many answers it was tried, all of them good ones on which it holds. */
  heldOn: z.number().int(),
});
export type CheckSuggestion = z.infer<typeof CheckSuggestionSchema>;

/** A rehearsal with the texts of its answers, and the steps that had failed in it. */
export interface PlayedAnswers {
  steps: readonly CapturedStep[];
  failed: readonly string[];
  readBody: BodyReader;
}

/** So many requests after a text was entered it is still looked for in pages. */
const shownWithin = 3;
const leastText = 4;

/** What was entered at a place of a step. */
interface Entered {
  step: RecordedStep;
  node: SentNode;
  /** Requests since. */
  age: number;
}

/**
 * Proposes checks: what was just entered comes back, the heading of the page, the way out that only those have who are signed in. Each
 * is tried on the take, the second take and the rehearsals, and left out where it fails on one good answer.
 */
export function suggestChecks(
  script: Script,
  take: LoadedTake,
  second: LoadedTake | null,
  rehearsals: readonly PlayedAnswers[],
): CheckSuggestion[] {
  const index = ValueIndex.of(take, script);
  const twin = second && new SecondTake(take, second);
  const byNumber = new Map(take.exchanges.map((exchange) => [exchange.n, exchange]));
  const played = rehearsals.map((rehearsal) => ({ ...rehearsal, fill: playedFill(script, rehearsal.steps, rehearsal.readBody) }));
  const suggestions: CheckSuggestion[] = [];
  const entered: Entered[] = [];
  /** Texts that were shown before they could say that anything was saved. */
  const shown = new Set<string>();
  for (const { step } of recordedSteps(script)) {
    for (const input of entered) input.age++;
    const n = answerOf(step);
    const exchange = n === null ? undefined : byNumber.get(n);
    const ownExchange = step.exchange === null ? undefined : byNumber.get(step.exchange);
    if (ownExchange && actionKindOf(step).mayChange(step))
      for (const node of leavesOf(sentNodes(step)))
        if (isEntered(node) && (!isStill(node.template) || !index.wasReceived(node.value, ownExchange)))
          entered.push({ step, node, age: 0 });
    const view = exchange && viewOf(exchange, take.readBody);
    if (!view || n === null || (view.kind !== 'html' && view.kind !== 'json' && view.kind !== 'xml') || view.body === '') continue;
    const have = new Set((step.checks ?? []).map((check) => JSON.stringify(check.checked)));
    let count = 0;
    const propose = (text: Template, source: Entered | null, reason: string): void => {
      const checked = { kind: 'text' as const, text, present: true };
      const heldOn = heldEverywhere(step, n, text, source, { view, twin, played });
      if (heldOn === null || have.has(JSON.stringify(checked))) return;
      have.add(JSON.stringify(checked));
      suggestions.push({
        step: step.id,
        check: { id: `${step.id}-check-${(step.checks?.length ?? 0) + ++count}`, checked, onFailure: 'mark' },
        reason,
        heldOn,
      });
    };
    for (const input of entered) {
      if (input.age > shownWithin || shown.has(`${input.step.id} ${input.node.place}`) || !holdsText(view, input.node.value)) continue;
      shown.add(`${input.step.id} ${input.node.place}`);
      const where = input.step.id === step.id ? 'this step' : 'an earlier step';
      propose(
        templateOf(input.node),
        input,
        `It is what ${where} entered as “${input.node.name}”; an answer that holds it has taken it in.`,
      );
    }
    if (view.kind !== 'html') continue;
    const heading = headingOf(view);
    // What was entered stands in it, and will be another.
    const isOwn = entered.some((input) => heading?.includes(input.node.value));
    if (heading !== null && !isOwn && heading !== view.title)
      propose([{ kind: 'text', text: heading }], null, 'It is the heading of the page: another page has another one.');
    const out = wayOut(view);
    if (out !== null)
      propose([{ kind: 'text', text: out }], null, 'Only those who are signed in can sign out: a page that has lost the session lacks it.');
  }
  return suggestions;
}

/** Values that people enter: in a body, long enough to be told from chance, and no plain switch. */
const isEntered = (node: SentNode): boolean =>
  isLeaf(node) &&
  /^(form|part|json|xml):/.test(node.place) &&
  node.value.length >= leastText &&
  node.value.length <= 200 &&
  (!isPlainWord(node.value) || node.value.length >= 8 || !isStill(node.template));

const templateOf = (node: SentNode): Template => (isStill(node.template) ? [{ kind: 'text', text: node.value }] : unwrapped(node.template));

/** What is sent without the wrappings of its place: an answer shows it plainly. */
const unwrapped = (template: Template): Template =>
  compact(template.flatMap((piece) => (piece.kind === 'wrap' ? unwrapped(piece.pieces) : [piece])));

function headingOf(view: AnswerText): string | null {
  const raw = /<h1\b[^>]*>([\s\S]{1,400}?)<\/h1>/i.exec(view.body)?.[1]?.replace(/<[^>]*>/g, ' ');
  const text = raw?.replace(/\s+/g, ' ').trim() ?? '';
  // Entities would have to be read; what holds digits is another on each visit.
  return text.length >= leastText && text.length <= 80 && !/[&\d]/.test(text) ? text : null;
}

/** Words by which a page offers to end the session; common practice, no source. */
const wayOut = (view: AnswerText): string | null =>
  view.html.texts.find(
    (text) => /^(sign|log)[\s-]?(out|off)$/i.test(text) || /^(abmelden|ausloggen|déconnexion|cerrar sesión)$/i.test(text),
  ) ?? null;

interface AtHand {
  view: AnswerText;
  twin: SecondTake | null;
  played: readonly (PlayedAnswers & { fill: Fill })[];
}

/** On how many good answers the text stands that was entered there; null where one of them lacks it. */
function heldEverywhere(
  step: RecordedStep,
  n: number,
  text: Template,
  source: Entered | null,
  { view, twin, played }: AtHand,
): number | null {
  if (!holdsText(view, recordedText(text))) return null;
  let held = 1;
  const responseView = twin?.partnerOf(n)?.view;
  if (twin && responseView && statusIn(responseView) === statusIn(view)) {
    const entered = source && twin.valueAt(source.step.exchange ?? -1, source.node.place);
    if (source && entered === undefined) return null;
    if (!holdsText(responseView, entered ?? recordedText(text))) return null;
    held++;
  }
  for (const { steps, failed, readBody, fill } of played) {
    const ownStep = steps.find((captured) => captured.step === step.id);
    const answer = ownStep && !failed.includes(step.id) ? capturedView(ownStep, readBody) : undefined;
    if (!answer) continue;
    if (!holdsText(answer, fill(text))) return null;
    held++;
  }
  return held;
}
