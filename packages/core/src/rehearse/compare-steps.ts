import * as z from 'zod';
import { bodyKind, headerOf, mediaType, pathAndQuery, type BodyKind } from '../take/messages.js';
import type { BodyReader, BodyRef, Header, LoadedTake } from '../take/take.schema.js';
import { readValue } from '../extractors/extract.js';
import { carriesValue } from '../actions/sent-parts.js';
import { recordedSteps, type Script } from '../script/script.schema.js';
import { answerOf } from '../actions/action-kinds.js';
import { leavesOf, nodesOf } from '../actions/sent-values.js';
import { bodyTree, targetTree } from '../values/value-tree.js';
import { DifferenceRowSchema, differenceOf, linesOf, type DifferenceRow, type MovingValue } from './difference.js';
import { capturedView } from './captured.js';
import type { CapturedStep } from '../actions/action-step.schema.js';

/** What one side of a comparison sent in a step, and what it got. */
export interface SideOfStep {
  /** What a message does not have is absent: an address and a status. */
  request: { verb: string; url: string | null; headers: readonly Header[]; body: BodyRef | null };
  response: { status: number | null; headers: readonly Header[]; body: BodyRef | null } | null;
}

const messageSide = (action: string, sent: BodyRef | null, answer: BodyRef | null): SideOfStep => ({
  request: { verb: action.toUpperCase(), url: null, headers: [], body: sent },
  response: answer && { status: null, headers: [], body: answer },
});

/** A take, or a rehearsal, as one side of a comparison. */
export interface Side {
  at: (step: string) => SideOfStep | undefined;
  readBody: BodyReader;
  /** What a handoff gave here; undefined where nobody knows. */
  handoff: (id: string) => string | undefined;
}

/** How a step differs between two sides. */
export const StepDifferenceSchema = z.object({
  request: z.array(DifferenceRowSchema),
  headers: z.array(DifferenceRowSchema),
  body: z.array(DifferenceRowSchema),
});
export type StepDifference = z.infer<typeof StepDifferenceSchema>;

/** The take that a script was made from, as a side. */
export function sideOfTake(script: Script, { exchanges, readBody }: LoadedTake): Side {
  const byNumber = new Map(exchanges.map((exchange) => [exchange.n, exchange]));
  const steps = new Map(recordedSteps(script).map(({ step }) => [step.id, step]));
  const exchangeAt = (n: number | null | undefined) => (n == null ? undefined : byNumber.get(n));
  return {
    readBody,
    handoff: (id) => script.handoffs.find((handoff) => handoff.id === id)?.recorded,
    at: (id) => {
      const step = steps.get(id);
      const sent = exchangeAt(step?.exchange);
      if (!step || !sent) return undefined;
      if (sent.kind === 'message') return messageSide(sent.action, sent.sent, sent.answer);
      const answer = exchangeAt(answerOf(step));
      return {
        request: { verb: sent.method, url: sent.url, headers: sent.requestHeaders, body: sent.requestBody },
        response: answer?.kind === 'request' ? answer.response : null,
      };
    },
  };
}

/** A rehearsal as a side. */
export function sideOfRehearsal(script: Script, steps: readonly CapturedStep[], readBody: BodyReader): Side {
  const byStep = new Map(steps.map((step) => [step.step, step]));
  return {
    readBody,
    at: (id) => {
      const played = byStep.get(id);
      if (played?.kind === 'message') return messageSide(played.action, played.sent, played.answer);
      return played?.kind === 'request'
        ? { request: { ...played.request, verb: played.request.method }, response: played.response }
        : undefined;
    },
    handoff: (id) => {
      const handoff = script.handoffs.find((candidate) => candidate.id === id);
      const captured = handoff && byStep.get(handoff.origin);
      const view = captured && capturedView(captured, readBody, handoff.hop);
      // Of several that fit, nobody knows which one was drawn.
      if (!handoff || !view || ('pick' in handoff.extractor && handoff.extractor.pick === 'any')) return undefined;
      return readValue(handoff.extractor, view, () => 0);
    },
  };
}

/** Lays what two sides sent and got in a step beside each other; what moves from one visit to the next is harmless. */
export function compareStep(script: Script, step: string, left: Side, right: Side): StepDifference {
  const moving = movingValues(script, left, right);
  const [leftStep, rightStep] = [left.at(step), right.at(step)];
  const body = (side: Side, part: { headers: readonly Header[]; body: BodyRef | null } | null | undefined): string[] =>
    part ? linesOf(textOf(part.body, side.readBody), kindOf(part)) : [];
  return {
    request: differenceOf(
      [...requestLines(leftStep), ...body(left, leftStep?.request)],
      [...requestLines(rightStep), ...body(right, rightStep?.request)],
      moving,
    ),
    headers: headerDifference(leftStep?.response, rightStep?.response, moving),
    body: differenceOf(body(left, leftStep?.response), body(right, rightStep?.response), moving),
  };
}

/** Headers that each answer has of its own and that say nothing of the application. */
const ofEachAnswer = /^(date|age|content-length|etag|last-modified|set-cookie|keep-alive|connection|server-timing|x-request-id):/i;

function headerDifference(
  left: SideOfStep['response'] | undefined,
  right: SideOfStep['response'] | undefined,
  moving: readonly MovingValue[],
): DifferenceRow[] {
  const lines = (response: SideOfStep['response'] | undefined): string[] =>
    response
      ? [
          ...(response.status === null ? [] : [`status ${response.status}`]),
          ...response.headers.map((header) => `${header[0].toLowerCase()}: ${header[1]}`).sort(),
        ]
      : [];
  return differenceOf(lines(left), lines(right), moving).map((row) =>
    row.kind === 'differs' && [...row.left, ...row.right].every((line) => ofEachAnswer.test(line))
      ? { ...row, kind: 'harmless', why: ['a header that each answer has of its own'] }
      : row,
  );
}

const requestLines = (side: SideOfStep | undefined): string[] =>
  side
    ? [
        [side.request.verb, side.request.url ?? ''].join(' ').trim(),
        ...side.request.headers.filter(([name]) => carriesValue(name)).map((header) => `${header[0].toLowerCase()}: ${header[1]}`),
      ]
    : [];

/** Values that the two sides sent, or read, at the same place and that differ. */
function movingValues(script: Script, left: Side, right: Side): MovingValue[] {
  const found = new Map<string, MovingValue>();
  const add = (leftText: string | undefined, rightText: string | undefined, name: string): void => {
    if (leftText !== undefined && rightText !== undefined && leftText !== rightText && leftText !== '' && rightText !== '')
      found.set(`${leftText} ${rightText}`, { left: leftText, right: rightText, name });
  };
  for (const handoff of script.handoffs) add(left.handoff(handoff.id), right.handoff(handoff.id), `the handoff ${handoff.name}`);
  for (const { step } of recordedSteps(script)) {
    const [leftStep, theirs] = [left.at(step.id), right.at(step.id)];
    if (!leftStep || !theirs) continue;
    const rightLeaves = sentLeaves(theirs, right.readBody);
    for (const [place, { name, value }] of sentLeaves(leftStep, left.readBody))
      add(value, rightLeaves.get(place)?.value, `the ${name} that is sent`);
  }
  return [...found.values()];
}

function sentLeaves({ request }: SideOfStep, readBody: BodyReader): Map<string, { name: string; value: string }> {
  const target = request.url === null ? null : pathAndQuery(request.url);
  const body = textOf(request.body, readBody);
  const nodes = [
    ...(target === null ? [] : nodesOf(targetTree(target), [{ kind: 'text', text: target }])),
    ...(body === '' ? [] : nodesOf(bodyTree(body, kindOf(request)), [{ kind: 'text', text: body }])),
  ];
  return new Map([...leavesOf(nodes)].map((node) => [node.place, node]));
}

const kindOf = ({ headers, body }: { headers: readonly Header[]; body: BodyRef | null }): BodyKind =>
  bodyKind(mediaType([['content-type', headerOf(headers, 'content-type') ?? body?.mimeType ?? '']]));

const longestCompared = 2_000_000;
const textOf = (body: BodyRef | null | undefined, readBody: BodyReader): string =>
  body ? (readBody(body.hash) ?? '').slice(0, longestCompared) : '';
