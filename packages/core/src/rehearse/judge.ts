import type { BodyReader, Exchange, LoadedTake } from '../take/take.schema.js';
import { commonShape, isPlainWord, redirectTarget } from '../take/messages.js';
import { ResponseView, viewOf } from '../script/response-view.js';
import { describeExtractor } from '../script/describe-extractor.js';
import { isPicked, matchesOf } from '../script/extract.js';
import type { HtmlElement } from '../script/html.js';
import type { SentValue } from '../script/sent-values.js';
import { answerOf, placeOfResponse, requestSteps, type Expectation, type RequestStep, type Script } from '../script/script.schema.js';
import { boundPlaces, sentValues } from '../script/request-parts.js';
import { isCounted } from '../script/coverage.js';
import { nameBefore, visitCandidates, type Candidate } from '../correlate/candidates.js';
import { ValueIndex } from '../correlate/value-index.js';
import { plainName } from '../correlate/naming.js';
import { acceptanceOf } from './accept.js';
import { signOf, type FailureSign } from '../check/failure-sign.js';
import { asksToSignIn, failureOf, faultTexts } from './failure-signs.js';
import { likenessOf } from './likeness.js';
import type { CapturedStep, Divergence, Rehearsal, RehearsalNote, RehearsedStep, StaleValue, Verdict } from './rehearsal.schema.js';

/** Below this structural likeness an answer is not like the take. */
const leastLikeness = 0.6;

/** What playing a script once gave: the captured steps, and the text of their bodies. */
export interface Captured {
  steps: CapturedStep[];
  readBody: BodyReader;
  /** Handoffs whose extractor found nothing, with the step that was to give them. */
  missing: { step: string; handoff: string }[];
  /** Texts that no good answer holds. */
  failureSigns?: readonly FailureSign[];
  /** What steps that send nothing said, and how they failed. */
  notes?: readonly RehearsalNote[];
  /** Requests that were passed over, because a condition did not hold. */
  skipped?: readonly string[];
  /** The step before which the tester ended the rehearsal, or at which it waits. */
  endedBefore?: string | undefined;
}

const short = (text: string, length = 48): string => (text.length > length ? `${text.slice(0, length)}…` : text);

/** The last capture of each step: in a repeat the latest round counts. */
const lastOfEach = (steps: readonly CapturedStep[]): Map<string, CapturedStep> => new Map(steps.map((one) => [one.step, one]));

/** The captured response as a view, or that of a redirect on the way (`hop`); undefined where none came. */
export function capturedView(captured: CapturedStep, readBody: BodyReader, hop?: number): ResponseView | undefined {
  const response = hop === undefined ? captured.response : captured.hops?.[hop];
  return response
    ? new ResponseView(response.status, response.headers, response.body ? (readBody(response.body.hash) ?? '') : '')
    : undefined;
}

/** Lays what was captured beside the take: verdict of each step, stale values, first divergence with cause and advice. */
export function judgeRehearsal(
  script: Script,
  loaded: LoadedTake,
  captured: Captured,
): Pick<Rehearsal, 'steps' | 'verdict' | 'divergence' | 'notes'> {
  const skipped = new Set(captured.skipped);
  const notes = captured.notes ?? [];
  const byStep = lastOfEach(captured.steps);
  const byNumber = new Map(loaded.exchanges.map((one) => [one.n, one]));
  const stale = staleValues(script, loaded, captured);
  const steps = requestSteps(script).map(({ step, number }): RehearsedStep => {
    const own = byStep.get(step.id) ?? null;
    const ownStale = stale.filter((one) => one.step === step.id);
    const exchange = byNumber.get(answerOf(step) ?? -1);
    const judged: Judged = own
      ? judgeStep(step, exchange, loaded.readBody, own, captured)
      : {
          verdict: 'not-sent' as const,
          reasons: [
            skipped.has(step.id)
              ? 'It was passed over: the condition around it did not hold.'
              : captured.endedBefore === undefined
                ? 'It was not sent, because an earlier step failed.'
                : 'The rehearsal was ended before it.',
          ],
        };
    // A step that names a thing of the take while this rehearsal made another proves nothing, however well it answered.
    const drifts = judged.verdict === 'passed' && ownStale.length > 0;
    return {
      step: step.id,
      number,
      verdict: drifts ? 'drifted' : judged.verdict,
      reasons: [
        ...judged.reasons,
        ...ownStale.map(
          (one) => `It sent ${one.name} “${short(one.recorded)}” from the take; the server now gives “${short(one.current)}”.`,
        ),
      ],
      stale: ownStale,
      ...(judged.redirect === undefined ? {} : { redirect: judged.redirect }),
      // Where a stale value tells why, the answer is no matter of taste.
      ...(judged.accept === undefined || ownStale.length > 0 ? {} : { accept: judged.accept }),
      captured: own,
    };
  });
  // What was left out on purpose is no fault.
  const counted = steps.filter((one) => one.verdict !== 'not-sent' || (captured.endedBefore === undefined && !skipped.has(one.step)));
  const trouble = notes.find((one) => one.kind === 'failed');
  const worst: Verdict =
    trouble || counted.some((one) => one.verdict === 'failed' || one.verdict === 'not-sent')
      ? 'failed'
      : counted.some((one) => one.verdict === 'drifted')
        ? 'drifted'
        : 'passed';
  const divergence = firstDivergence(script, counted, captured);
  return {
    steps,
    verdict: worst,
    divergence: trouble ? earlier(trouble, divergence, steps) : divergence,
    ...(notes.length === 0 ? {} : { notes: [...notes] }),
  };
}

/** A step that sends nothing and failed diverges where it stands: before the next request. */
function earlier(trouble: RehearsalNote, divergence: Divergence | null, steps: readonly RehearsedStep[]): Divergence {
  const number = steps.find((one) => one.step === trouble.afterStep)?.number ?? 0;
  if (divergence && divergence.number <= number) return divergence;
  return {
    step: trouble.step,
    number,
    sentence: `After step ${number}: ${trouble.text}`,
    cause: 'unknown',
    advice: 'Open the step and try it on an answer that you have.',
    refused: null,
  };
}

type Harmless = NonNullable<Expectation['harmless']>[number];
type Judged = Pick<RehearsedStep, 'verdict' | 'reasons' | 'redirect' | 'accept'>;

function judgeStep(step: RequestStep, exchange: Exchange | undefined, readBody: BodyReader, own: CapturedStep, captured: Captured): Judged {
  const replayed = capturedView(own, captured.readBody);
  if (!replayed || own.failure !== null) return { verdict: 'failed', reasons: [own.failure ?? 'No answer came.'] };
  const location = redirectTarget(own.request.url, own.hops ?? [replayed]);
  // A sign that the environment names means failure in every step; it cannot be accepted in one.
  const sign = signOf(replayed, captured.failureSigns ?? []);
  const judged = (verdict: Verdict, reason: string, harmless: Expectation['harmless'] = [], redirect: string | null = null): Judged => {
    const accept = sign === null ? acceptanceOf(step.expect, replayed, location, harmless) : null;
    return { verdict, reasons: [reason], ...(redirect === null ? {} : { redirect }), ...(accept === null ? {} : { accept }) };
  };
  const failure = failureOf(replayed, step.expect, location) ?? sign;
  const recorded = exchange && viewOf(exchange, readBody);
  if (failure) {
    const redirect = easedRedirect(step, replayed, recorded, location);
    return judged(redirect === null ? 'failed' : 'drifted', failure, [], redirect);
  }
  // What the tester asks of an answer is no matter of taste either.
  if (own.checks) return { verdict: 'failed', reasons: own.checks };
  if (!recorded) return { verdict: 'passed', reasons: [] };
  const faults = faultTexts(replayed);
  const like = likenessOf(recorded, replayed);
  const found: { kind: Harmless; verdict: Verdict; reason: string }[] = [];
  if (asksToSignIn(replayed) && !asksToSignIn(recorded))
    found.push({ kind: 'sign-in', verdict: 'failed', reason: 'The page asks to sign in; in the take it did not.' });
  if (faults.length > 0 && faultTexts(recorded).length === 0)
    found.push({
      kind: 'alerts',
      verdict: 'failed',
      reason: `It answered ${replayed.status}, but says “${short(faults.join(' '), 160)}”.`,
    });
  // Browsers lose the body of an answer when the page is left at once; then there is nothing to compare with.
  if (recorded.body !== '' && recorded.status === replayed.status && like < leastLikeness)
    found.push({
      kind: 'structure',
      verdict: 'drifted',
      reason: `The answer is built differently: ${Math.round(like * 100)} % of its structure is that of the take.`,
    });
  const left = found.filter((one) => !step.expect.harmless?.includes(one.kind));
  const [first] = left;
  return first
    ? judged(
        first.verdict,
        first.reason,
        left.map((one) => one.kind),
      )
    : { verdict: 'passed', reasons: [] };
}

/** A wider shape of the redirect, where a part of it that is no name differs and all else of the answer is as in the take. */
function easedRedirect(
  step: RequestStep,
  replayed: ResponseView,
  recorded: ResponseView | undefined,
  location: string | undefined,
): string | null {
  const { redirect } = step.expect;
  if (redirect === null || location === undefined || !recorded) return null;
  const wider = commonShape(redirect, location);
  if (wider === null || failureOf(replayed, { ...step.expect, redirect: wider }, location) !== null) return null;
  return recorded.body === '' || likenessOf(recorded, replayed) >= 0.9 ? wider : null;
}

/** Every value that was sent as recorded while its origin now gives another one, of passing steps too. */
export function staleValues(script: Script, loaded: LoadedTake, captured: Captured): StaleValue[] {
  const index = new ValueIndex(loaded, script);
  const byStep = lastOfEach(captured.steps);
  const stale: StaleValue[] = [];
  visitCandidates(script, loaded, index, (candidate) => {
    const { step, node, value, start, end } = candidate;
    if (!byStep.has(step.id)) return true;
    const found = currentValue(candidate, index, script, byStep, captured);
    if (found === 'unknown') return false;
    if (found !== 'same')
      stale.push({
        step: step.id,
        place: node.place,
        ...(value === node.value ? {} : { part: { start, end } }),
        name: plainName(value === node.value ? node.name : nameBefore(node, start), node.place),
        recorded: value,
        ...found,
      });
    return true;
  });
  return stale;
}

function currentValue(
  { value, origins }: Candidate,
  index: ValueIndex,
  script: Script,
  byStep: Map<string, CapturedStep>,
  captured: Captured,
): Pick<StaleValue, 'current' | 'origin' | 'extractor'> | 'same' | 'unknown' {
  for (const origin of origins) {
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
    const at = picked === 'any' ? Math.min(Math.max(0, then.indexOf(value)), now.length - 1) : picked === 'last' ? now.length - 1 : 0;
    return { current: now[at] ?? '', origin: place.step, extractor: origin.extractor };
  }
  return 'unknown';
}

function firstDivergence(script: Script, steps: readonly RehearsedStep[], captured: Captured): Divergence | null {
  const first = steps.find((one) => one.verdict !== 'passed');
  if (!first) return null;
  const requests = requestSteps(script);
  const numberOf = (id: string) => requests.find(({ step }) => step.id === id)?.number ?? 0;
  const own = requests.find(({ step }) => step.id === first.step);
  const what = own ? `Step ${first.number}, ${own.step.name}` : `Step ${first.number}`;
  const base = { step: first.step, number: first.number, refused: null };
  const happened = `${what}: ${first.reasons[0] ?? 'it differs from the take.'}`;
  if (first.captured && !first.captured.response)
    return {
      ...base,
      sentence: happened,
      cause: 'unreachable',
      advice: 'See whether the application runs and the environment names the right address, then rehearse again.',
    };
  const missing = captured.missing.find((one) => boundTo(own?.step, one.handoff));
  if (missing)
    return {
      ...base,
      sentence: `${happened} It needs “${script.handoffs.find((one) => one.id === missing.handoff)?.name ?? 'a value'}”, which step ${numberOf(missing.step)} did not give.`,
      cause: 'missing-value',
      handoff: missing.handoff,
      advice: 'Look at the answer of that step: the extractor found nothing there.',
    };
  // What this step sends stale, or else what an earlier one did: a visit often ends one step later.
  const stale =
    first.stale[0] ??
    steps
      .filter((one) => one.number < first.number)
      .flatMap((one) => one.stale)
      .at(-1);
  if (stale) {
    const where = stale.step === first.step ? 'It' : `Step ${numberOf(stale.step)}`;
    const told = first.stale.length > 0 && first.verdict === 'drifted' && first.reasons.length === first.stale.length;
    return {
      ...base,
      sentence: `${told ? `${what} answered as in the take, but proves nothing.` : happened} ${where} sent ${stale.name} “${short(stale.recorded)}” from the take; the server now gives “${short(stale.current)}” at step ${numberOf(stale.origin)} (${describeExtractor(stale.extractor)}).`,
      cause: 'stale-value',
      advice: `Hand ${stale.name} off: read it at step ${numberOf(stale.origin)} and send what is read.`,
    };
  }
  const refused = own && first.captured ? refusedValue(own.step, first.captured, captured) : null;
  if (refused !== null)
    return {
      ...base,
      refused,
      sentence: `${happened} The answer names “${short(refused)}”, which this step sent as it was typed in the take.`,
      cause: 'refused-value',
      advice: 'This value can be used only once. Bind it to a column of a data table, or let a new one be made.',
    };
  return {
    ...base,
    sentence: happened,
    cause: 'unknown',
    advice:
      first.redirect === undefined
        ? 'Compare the two answers of this step; look for a value that a page script computes.'
        : `Let it lead to ${first.redirect}: the part that differs is made anew on each visit.`,
  };
}

const boundTo = (step: RequestStep | undefined, handoff: string): boolean =>
  step !== undefined && JSON.stringify([step.url, step.headers, step.body]).includes(`"handoff":"${handoff}"`);

/** What answers say where a value must be another one each time, in the languages of the trade. */
const saysTaken = /already|exist|taken|duplicate|unique|in use|used before/i;

/** A typed value that the fault text of the answer quotes, or that stands in the field beside a text which says that it is taken. */
function refusedValue(step: RequestStep, own: CapturedStep, captured: Captured): string | null {
  const view = capturedView(own, captured.readBody);
  if (!view) return null;
  const bound = boundPlaces(step);
  const typed = sentValues(step).filter((sent) => isCounted(sent) && !bound.has(sent.place));
  const { elements, alerts, alertsAt } = view.html;
  for (const [at, text] of alerts.entries()) {
    if (!saysTaken.test(text)) continue;
    const from = alertsAt[at] ?? 0;
    const field = elements.slice(from).find((one) => typed.some((sent) => isFieldOf(one, sent)));
    const sent = field && typed.find((one) => isFieldOf(field, one));
    if (sent) return sent.value;
  }
  const said = faultTexts(view).join(' ');
  // The longest value that is quoted; a plain word may stand in the sentence by chance.
  const [quoted] = typed
    .filter((sent) => sent.value.length >= 4 && !isPlainWord(sent.value) && said.includes(sent.value))
    .sort((left, right) => right.value.length - left.value.length);
  return quoted?.value ?? null;
}

const isFieldOf = ({ name, attributes }: HtmlElement, sent: SentValue): boolean =>
  /^(input|textarea)$/.test(name) && attributes['name'] === sent.name && sent.value.length >= 3 && attributes['value'] === sent.value;
