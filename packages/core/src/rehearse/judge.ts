import { cutText } from '../cut-text.js';
import type { LoadedTake } from '../take/take.schema.js';
import { commonShape, redirectTarget } from '../take/messages.js';
import { viewOf, type ResponseView } from '../answers/response-view.js';
import { actionSteps, type Script } from '../script/script.schema.js';
import { answerOf } from '../actions/action-kinds.js';
import type { Expectation, RequestStep } from '../actions/http/request.schema.js';
import { sentNodes } from '../actions/http/request-parts.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { acceptanceOf } from './accept.js';
import { signOf } from '../check/failure-sign.js';
import { capturedView, lastOfEach, type Captured } from './captured.js';
import { firstDivergence } from './divergence.js';
import { asksToSignIn, failureOf } from './failure-signs.js';
import { likenessOf } from './likeness.js';
import type { Divergence, Rehearsal, RehearsalNote, RehearsedStep, Verdict } from './rehearsal.schema.js';
import type { ActionStep, CapturedStep } from '../actions/action-step.schema.js';
import type { CapturedRequest } from '../actions/http/captured-request.schema.js';
import { troubleIn } from './said.js';
import { staleValues } from './stale-values.js';

/** Below this structural likeness an answer is not like the take. */
const leastLikeness = 0.6;

/**
 * Lays what was captured beside the take, and beside a second one where there is one: verdict of each step, stale values, first divergence
 * with cause and advice. What differs between the two takes is no difference.
 */
export function judgeRehearsal(
  script: Script,
  loaded: LoadedTake,
  captured: Captured,
  second: LoadedTake | null = null,
): Pick<Rehearsal, 'steps' | 'verdict' | 'divergence' | 'notes'> {
  const twin = second && new SecondTake(loaded, second);
  const skipped = new Set(captured.skipped);
  const notes = captured.notes ?? [];
  const byStep = lastOfEach(captured.steps);
  const byNumber = new Map(loaded.exchanges.map((exchange) => [exchange.n, exchange]));
  const stale = staleValues(script, loaded, captured, second);
  const steps = actionSteps(script).map(({ step, number }): RehearsedStep => {
    const own = byStep.get(step.id) ?? null;
    const ownStale = stale.filter((value) => value.step === step.id);
    const exchange = byNumber.get(answerOf(step) ?? -1);
    const good = [exchange && viewOf(exchange, loaded.readBody), twin?.partnerOf(exchange?.n ?? -1)?.view].filter(
      (view) => view !== undefined,
    );
    const judged: Judged = own
      ? judgeStep(step, good, own, captured)
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
          (value) =>
            `It sent ${value.name} “${cutText(value.recorded, 48)}” from the take; the server now gives “${cutText(value.current, 48)}”.`,
        ),
      ],
      stale: ownStale,
      ...(judged.code === undefined ? {} : { code: judged.code }),
      ...(judged.said === undefined ? {} : { said: judged.said }),
      ...(judged.redirect === undefined ? {} : { redirect: judged.redirect }),
      // Where a stale value tells why, the answer is no matter of taste.
      ...(judged.accept === undefined || ownStale.length > 0 ? {} : { accept: judged.accept }),
      captured: own,
    };
  });
  // What was left out on purpose is no fault.
  const counted = steps.filter((step) => step.verdict !== 'not-sent' || (captured.endedBefore === undefined && !skipped.has(step.step)));
  const trouble = notes.find((note) => note.kind === 'failed');
  const worst: Verdict =
    trouble || counted.some((step) => step.verdict === 'failed' || step.verdict === 'not-sent')
      ? 'failed'
      : counted.some((step) => step.verdict === 'drifted')
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
  const number = steps.find((step) => step.step === trouble.afterStep)?.number ?? 0;
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
type Judged = Pick<RehearsedStep, 'verdict' | 'reasons' | 'code' | 'redirect' | 'accept' | 'said'>;

/** `good` are the recorded answer, if there is one, and the one of the second take. */
function judgeStep(step: ActionStep, good: readonly ResponseView[], capturedStep: CapturedStep, captured: Captured): Judged {
  return step.kind === 'request' && capturedStep.kind === 'request'
    ? judgeRequest(step, good, capturedStep, captured)
    : judgeByItself(capturedStep);
}

/** A step that was not recorded has nothing to be compared with: what it expects and checks decides. */
function judgeByItself({ failure, failureCode, checks }: CapturedStep): Judged {
  if (failure === null && !checks) return { verdict: 'passed', reasons: [] };
  return {
    verdict: 'failed',
    reasons: failure === null ? (checks ?? []) : [failure],
    ...(failureCode === undefined ? {} : { code: failureCode }),
  };
}

function judgeRequest(step: RequestStep, good: readonly ResponseView[], request: CapturedRequest, captured: Captured): Judged {
  const replayed = capturedView(request, captured.readBody);
  const code = request.failureCode === undefined ? {} : { code: request.failureCode };
  if (!replayed || request.failure !== null) return { verdict: 'failed', reasons: [request.failure ?? 'No answer came.'], ...code };
  const location = redirectTarget(request.request.url, request.hops ?? [replayed]);
  // A sign that the environment names means failure in every step; it cannot be accepted in one.
  const signs = captured.failureSigns ?? [];
  const sign = signOf(
    replayed,
    signs.filter((failureSign) => good.every((answer) => signOf(answer, [failureSign]) === null)),
  );
  const judged = (verdict: Verdict, reason: string, harmless: Expectation['harmless'] = [], redirect: string | null = null): Judged => {
    const accept = sign === null ? acceptanceOf(step.expect, replayed, location, harmless) : null;
    return { verdict, reasons: [reason], ...(redirect === null ? {} : { redirect }), ...(accept === null ? {} : { accept }) };
  };
  const failure = failureOf(replayed, step.expect, location) ?? sign;
  const [recorded] = good;
  const trouble = recorded ? troubleIn(replayed, good) : [];
  const said = trouble.map((saidTrouble) => cutText(saidTrouble.text, 160));
  const told = said.length === 0 ? {} : { said };
  if (failure) {
    const redirect = easedRedirect(step, replayed, recorded, location);
    return { ...judged(redirect === null ? 'failed' : 'drifted', failure.text, [], redirect), code: failure.code, ...told };
  }
  // What the tester asks of an answer is no matter of taste either.
  if (request.checks) return { verdict: 'failed', reasons: request.checks, ...code, ...told };
  if (!recorded) return { verdict: 'passed', reasons: [] };
  const like = likenessOf(good, replayed);
  const found: { kind: Harmless; verdict: Verdict; reason: string }[] = [];
  // Browsers lose the body of an answer when the page is left at once, and files may come from a cache; then there is nothing to compare with.
  const isKept = good.some((view) => view.body !== '');
  if (isKept && asksToSignIn(replayed) && !good.some(asksToSignIn))
    found.push({ kind: 'sign-in', verdict: 'failed', reason: 'The page asks to sign in; in the take it did not.' });
  if (isKept && showsFormAgain(step, replayed, good))
    found.push({
      kind: 'structure',
      verdict: 'failed',
      reason: `It shows the form again that was sent${said[0] === undefined ? '; in the take it did not' : `, and says “${said.slice(0, 2).join(' ')}”`}.`,
    });
  const plain = trouble.filter((saidTrouble) => saidTrouble.plain);
  // A fault of a program is one, whether the take holds a good answer or not; a page has to be compared.
  if ((isKept || /^(xml|json)$/.test(replayed.kind)) && plain.length > 0)
    found.push({
      kind: 'alerts',
      verdict: 'failed',
      reason: `It answered ${replayed.status}, but says “${cutText(plain.map((saidTrouble) => saidTrouble.text).join(' '), 160)}”.`,
    });
  if (isKept && recorded.status === replayed.status && like < leastLikeness)
    found.push({
      kind: 'structure',
      verdict: 'drifted',
      reason: `The answer is built differently: ${Math.round(like * 100)} % of its structure is that of the take.`,
    });
  const left = found.filter((one) => !step.expect.harmless?.includes(one.kind));
  const [first] = left;
  if (!first) return { verdict: 'passed', reasons: [], ...told };
  return {
    ...judged(
      first.verdict,
      first.reason,
      left.map((one) => one.kind),
    ),
    ...told,
  };
}

/** A form is shown again where this part of the fields that were sent stands in the answer, to be filled in. */
const fieldsAgain = 0.6;

/** True where an answer asks for the very fields that were sent, and the good ones do not: the server did not take them. */
function showsFormAgain(step: RequestStep, replayed: ResponseView, good: readonly ResponseView[]): boolean {
  if (replayed.kind !== 'html' || /^(GET|HEAD)$/.test(step.method)) return false;
  const fieldsOf = (view: ResponseView): Set<string> =>
    new Set(
      view.html.elements.flatMap(({ name, attributes }) =>
        /^(input|select|textarea)$/.test(name) && !/^(hidden|submit|button|image|reset)$/i.test(attributes['type'] ?? '')
          ? [attributes['name'] ?? '']
          : [],
      ),
    );
  const offered = fieldsOf(replayed);
  const sent = new Set(sentNodes(step).flatMap((node) => (/^(form|part):/.test(node.place) ? [node.name] : [])));
  const again = [...sent].filter((name) => name !== '' && offered.has(name));
  const whole = good.map(fieldsOf);
  return (
    again.length > 1 &&
    again.length >= fieldsAgain * offered.size &&
    good.every((view, at) => view.kind !== 'html' || again.filter((name) => whole[at]?.has(name)).length < again.length / 2)
  );
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
