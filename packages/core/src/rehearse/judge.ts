import { cutText } from '../cut-text.js';
import type { LoadedTake } from '../take/take.schema.js';
import { commonShape, redirectTarget } from '../take/messages.js';
import { statusIn, viewOf, type AnswerText, type ResponseView } from '../answers/response-view.js';
import { actionSteps, type Script } from '../script/script.schema.js';
import { actionKindOf, answerOf } from '../actions/action-kinds.js';
import { capturedMessage, capturedResponse } from '../actions/captured-answer.js';
import type { Harmless } from '../actions/content.schema.js';
import type { RequestStep } from '../actions/http/request.schema.js';
import type { CapturedMessage, MessageStep } from '../actions/message/message.schema.js';
import { sentNodes, type RecordedStep } from '../actions/sent-parts.js';
import type { FailureReason } from '../failure/failure-reason.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import { acceptanceOf, acceptanceOfMessage } from './accept.js';
import { signOf } from '../check/failure-sign.js';
import { lastOfEach, type Captured } from './captured.js';
import { firstDivergence } from './divergence.js';
import { asksToSignIn, contentFailureOf, failureOf } from './failure-signs.js';
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
    const played = byStep.get(step.id) ?? null;
    const ownStale = stale.filter((value) => value.step === step.id);
    const exchange = byNumber.get(answerOf(step) ?? -1);
    const good = [exchange && viewOf(exchange, loaded.readBody), twin?.partnerOf(exchange?.n ?? -1)?.view].filter(
      (view) => view !== undefined,
    );
    const judged: Judged = played
      ? judgeStep(step, good, played, captured)
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
      captured: played,
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

type Judged = Pick<RehearsedStep, 'verdict' | 'reasons' | 'code' | 'redirect' | 'accept' | 'said'>;

/** `good` are the recorded answer, if there is one, and the one of the second take. */
function judgeStep(step: ActionStep, good: readonly AnswerText[], played: CapturedStep, captured: Captured): Judged {
  if (step.kind === 'request' && played.kind === 'request') return judgeRequest(step, good, played, captured);
  if (step.kind === 'message' && played.kind === 'message') return judgeMessage(step, good, played, captured);
  return judgeByItself(played);
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

const notAnswered = ({ failure, failureCode }: CapturedStep): Judged => ({
  verdict: 'failed',
  reasons: [failure ?? 'No answer came.'],
  ...(failureCode === undefined ? {} : { code: failureCode }),
});

function judgeRequest(step: RequestStep, good: readonly AnswerText[], request: CapturedRequest, captured: Captured): Judged {
  const answer = capturedResponse(request, captured.readBody);
  if (!answer || request.failure !== null) return notAnswered(request);
  const location = redirectTarget(request.request.url, request.hops ?? [answer]);
  return judgeAnswer(step, request, good, captured, {
    answer,
    says: `It answered ${answer.status}, but says`,
    failure: failureOf(answer, step.expect, location),
    redirect: () => easedRedirect(step, answer, good[0], location),
    accept: (harmless) => acceptanceOf(step.expect, answer, location, harmless),
  });
}

function judgeMessage(step: MessageStep, good: readonly AnswerText[], message: CapturedMessage, captured: Captured): Judged {
  const answer = capturedMessage(message, captured.readBody);
  if (message.failure !== null || (!answer && step.awaits !== null)) return notAnswered(message);
  if (!answer) return { verdict: 'passed', reasons: [] };
  return judgeAnswer(step, message, good, captured, {
    answer,
    says: 'The message that came says',
    failure: contentFailureOf(answer, step.expect),
    redirect: () => null,
    accept: (harmless) => acceptanceOfMessage(step.expect, answer, harmless),
  });
}

/** An answer as its kind is judged. */
interface AnswerToJudge {
  answer: AnswerText;
  /** The beginning of a sentence that quotes it. */
  says: string;
  /** What is wrong with it by what the step expects. */
  failure: FailureReason | null;
  /** A wider shape of the redirect that would let it pass; null where there is none. */
  redirect: () => string | null;
  accept: (harmless: Harmless) => RehearsedStep['accept'] | null;
}

/** Judges an answer by what the step expects and checks, by what it says of itself, and by how it is built beside the good ones. */
function judgeAnswer(
  step: RecordedStep,
  played: CapturedRequest | CapturedMessage,
  good: readonly AnswerText[],
  captured: Captured,
  { answer, says, failure: unexpected, redirect: easierRedirect, accept: acceptance }: AnswerToJudge,
): Judged {
  const code = played.failureCode === undefined ? {} : { code: played.failureCode };
  // A sign that the environment names means failure in every step; it cannot be accepted in one.
  const signs = captured.failureSigns ?? [];
  const sign = signOf(
    answer,
    signs.filter((failureSign) => good.every((goodAnswer) => signOf(goodAnswer, [failureSign]) === null)),
  );
  const judged = (verdict: Verdict, reason: string, harmless: Harmless = [], redirect: string | null = null): Judged => {
    const accept = sign === null ? acceptance(harmless) : null;
    return { verdict, reasons: [reason], ...(redirect === null ? {} : { redirect }), ...(accept ? { accept } : {}) };
  };
  const failure = unexpected ?? sign;
  const [recorded] = good;
  const trouble = recorded ? troubleIn(answer, good) : [];
  const said = trouble.map((saidTrouble) => cutText(saidTrouble.text, 160));
  const withSaid = said.length === 0 ? {} : { said };
  if (failure) {
    const redirect = easierRedirect();
    return { ...judged(redirect === null ? 'failed' : 'drifted', failure.text, [], redirect), code: failure.code, ...withSaid };
  }
  // What the tester asks of an answer is no matter of taste either.
  if (played.checks) return { verdict: 'failed', reasons: played.checks, ...code, ...withSaid };
  if (!recorded) return { verdict: 'passed', reasons: [] };
  const like = likenessOf(good, answer);
  const found: { kind: Harmless[number]; verdict: Verdict; reason: string }[] = [];
  // Browsers lose the body of an answer when the page is left at once, and files may come from a cache; then there is nothing to compare with.
  const isKept = good.some((view) => view.body !== '');
  if (isKept && asksToSignIn(answer) && !good.some(asksToSignIn))
    found.push({ kind: 'sign-in', verdict: 'failed', reason: 'The page asks to sign in; in the take it did not.' });
  if (isKept && showsFormAgain(step, answer, good))
    found.push({
      kind: 'structure',
      verdict: 'failed',
      reason: `It shows the form again that was sent${said[0] === undefined ? '; in the take it did not' : `, and says “${said.slice(0, 2).join(' ')}”`}.`,
    });
  const plain = trouble.filter((saidTrouble) => saidTrouble.plain);
  // A fault of a program is one, whether the take holds a good answer or not; a page has to be compared.
  if ((isKept || /^(xml|json)$/.test(answer.kind)) && plain.length > 0)
    found.push({
      kind: 'alerts',
      verdict: 'failed',
      reason: `${says} “${cutText(plain.map((saidTrouble) => saidTrouble.text).join(' '), 160)}”.`,
    });
  if (isKept && statusIn(recorded) === statusIn(answer) && like < leastLikeness)
    found.push({
      kind: 'structure',
      verdict: 'drifted',
      reason: `The answer is built differently: ${Math.round(like * 100)} % of its structure is that of the take.`,
    });
  const left = found.filter((difference) => !step.expect.harmless?.includes(difference.kind));
  const [first] = left;
  if (!first) return { verdict: 'passed', reasons: [], ...withSaid };
  return {
    ...judged(
      first.verdict,
      first.reason,
      left.map((difference) => difference.kind),
    ),
    ...withSaid,
  };
}

/** A form is shown again where this part of the fields that were sent stands in the answer, to be filled in. */
const fieldsAgain = 0.6;

/** True where an answer asks for the very fields that were sent, and the good ones do not: the server did not take them. */
function showsFormAgain(step: RecordedStep, replayed: AnswerText, good: readonly AnswerText[]): boolean {
  if (replayed.kind !== 'html' || !actionKindOf(step).mayChange(step)) return false;
  const fieldsOf = (view: AnswerText): Set<string> =>
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
  recorded: AnswerText | undefined,
  location: string | undefined,
): string | null {
  const { redirect } = step.expect;
  if (redirect === null || location === undefined || !recorded) return null;
  const wider = commonShape(redirect, location);
  if (wider === null || failureOf(replayed, { ...step.expect, redirect: wider }, location) !== null) return null;
  return recorded.body === '' || likenessOf(recorded, replayed) >= 0.9 ? wider : null;
}
