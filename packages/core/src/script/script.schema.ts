import * as z from 'zod';
import { actionKinds, exchangesOf, isAction } from '../actions/action-kinds.js';
import type { ActionStep, ActionStepKind } from '../actions/action-step.schema.js';
import { ExtractorSchema } from '../extractors/extractor.schema.js';
import { allSteps, changeSteps, StepSchema } from './step.schema.js';
import type { RequestStep } from '../actions/http/request.schema.js';
import { isRecorded, type RecordedStep } from '../actions/sent-parts.js';

export const EvidenceSchema = z.enum(['proven', 'likely', 'unsure']);
export type Evidence = z.infer<typeof EvidenceSchema>;

/** A value that the server gave in one response (its origin) and that the client gave back later (its uses). */
export const HandoffSchema = z.object({
  id: z.string(),
  name: z.string(),
  /** Step whose response gives the value. */
  origin: z.string(),
  extractor: ExtractorSchema,
  evidence: EvidenceSchema,
  /** One sentence that names the evidence. */
  reason: z.string(),
  recorded: z.string(),
  /** Which answer of a step that follows redirects gives it, from 0; absent for the last one. */
  hop: z.number().int().nonnegative().optional(),
  /** Further responses that give a new value in the same way: the latest one read is sent (a rotating value). */
  also: z.array(z.object({ step: z.string(), hop: z.number().int().nonnegative().optional() })).optional(),
});
export type Handoff = z.infer<typeof HandoffSchema>;

/**
 * A value that the client invents. Those that are drawn at random stay the same within one iteration; a `counter` goes up by one
 * with each use, from what was recorded. `random-digits` and `random-text` keep the length recorded,
 * `unique-text` is what was recorded with a few signs added, and `verifier` is a code
 * verifier of RFC 7636, 4.1.
 */
export const GeneratedValueSchema = z.object({
  id: z.string(),
  name: z.string(),
  made: z.enum([
    'epoch-ms',
    'epoch-s',
    'epoch-us',
    'epoch-fraction',
    'ticks',
    'iso-time',
    'http-date',
    'guid',
    'container-number',
    'counter',
    'random-digits',
    'random-text',
    'unique-text',
    'verifier',
  ]),
  recorded: z.string(),
  reason: z.string(),
});
export type GeneratedValue = z.infer<typeof GeneratedValueSchema>;

/** A sent value that may need a handoff; the tester decides. */
export const UnsureValueSchema = z.object({
  step: z.string(),
  place: z.string(),
  value: z.string(),
  origin: z.string().nullable(),
  extractor: ExtractorSchema.nullable(),
  reason: z.string(),
});
export type UnsureValue = z.infer<typeof UnsureValueSchema>;

export const TransactionSchema = z.object({
  kind: z.literal('transaction'),
  id: z.string(),
  name: z.string(),
  /**
   * `before` is played once by each virtual user before its first iteration, `after` once after its last; absent for what is played in
   * each iteration. What a script does before, such as signing in, stays true for all iterations: cookies, handoffs and variables are kept.
   */
  phase: z.enum(['before', 'after']).optional(),
  /** Id of the part that this transaction is: its steps are the same in every script that has it. */
  part: z.string().optional(),
  steps: z.array(StepSchema),
});
export type Transaction = z.infer<typeof TransactionSchema>;

/** What one virtual user does. */
export const ScriptSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  takeId: z.string(),
  secondTakeId: z.string().nullable(),
  transactions: z.array(TransactionSchema),
  handoffs: z.array(HandoffSchema),
  made: z.array(GeneratedValueSchema),
  unsure: z.array(UnsureValueSchema),
});
export type Script = z.infer<typeof ScriptSchema>;

/** A script with each of its steps that stand for records of a take changed. */
export function changeRecordedSteps(script: Script, change: (step: RecordedStep) => RecordedStep): Script {
  return {
    ...script,
    transactions: script.transactions.map((transaction) => ({
      ...transaction,
      steps: changeSteps(transaction.steps, (step) => (isRecorded(step) ? change(step) : step)),
    })),
  };
}

/** A script with each request step changed. */
export const changeRequests = (script: Script, change: (step: RequestStep) => RequestStep): Script =>
  changeRecordedSteps(script, (step) => (step.kind === 'request' ? change(step) : step));

/** Where a response is had on replay: the step, and which of its answers (absent for the last). */
export interface ResponsePlace {
  step: string;
  hop?: number;
}

/** All responses from which a handoff is read, in the order of play. */
export const readPlaces = ({ origin, hop, also }: Handoff): ResponsePlace[] =>
  [{ step: origin, hop }, ...(also ?? [])].map((place) =>
    place.hop === undefined ? { step: place.step } : { step: place.step, hop: place.hop },
  );

/** The handoff, read from other responses. */
export function readFrom(handoff: Handoff, first: ResponsePlace, also: ResponsePlace[]): Handoff {
  const kept = { ...handoff };
  delete kept.hop;
  delete kept.also;
  return { ...kept, origin: first.step, ...(first.hop === undefined ? {} : { hop: first.hop }), ...(also.length === 0 ? {} : { also }) };
}

// A script is never changed in place, so where its responses come from stays true.
const placesOfScript = new WeakMap<Script, Map<number, ResponsePlace>>();

/** Where the response of an exchange is had on replay; null where no step asks for it. */
export function placeOfResponse(script: Script, exchange: number): ResponsePlace | null {
  let places = placesOfScript.get(script);
  if (!places) {
    places = new Map();
    for (const { step } of recordedSteps(script)) {
      const chain = exchangesOf(step);
      for (const [at, n] of chain.entries())
        if (!places.has(n)) places.set(n, at === chain.length - 1 ? { step: step.id } : { step: step.id, hop: at });
    }
    placesOfScript.set(script, places);
  }
  return places.get(exchange) ?? null;
}

/** A step that acts on an application, with its number in the order of play, from 1, and its transaction. */
export interface NumberedStep<Step extends ActionStep = ActionStep> {
  step: Step;
  number: number;
  transaction: Transaction;
}

/** All steps that act on an application, in the order of play. */
export function actionSteps(script: Script): NumberedStep[] {
  const found: NumberedStep[] = [];
  for (const transaction of script.transactions)
    for (const step of allSteps(transaction.steps)) if (isAction(step)) found.push({ step, number: found.length + 1, transaction });
  return found;
}

/** All steps that stand for records of a take, numbered among all that act. */
export const recordedSteps = (script: Script): NumberedStep<RecordedStep>[] =>
  actionSteps(script).flatMap(({ step, ...numbered }) => (isRecorded(step) ? [{ step, ...numbered }] : []));

/** All steps that send requests, numbered among all that act. */
export const requestSteps = (script: Script): NumberedStep<RequestStep>[] =>
  actionSteps(script).flatMap(({ step, ...numbered }) => (step.kind === 'request' ? [{ step, ...numbered }] : []));

/** How many steps of each kind act on an application: “7 requests, 1 line”. */
export function actionCountWords(script: Script): string {
  const counts = new Map<ActionStepKind, number>();
  for (const { step } of actionSteps(script)) counts.set(step.kind, (counts.get(step.kind) ?? 0) + 1);
  const words = [...counts].map(([kind, count]) => `${count} ${count === 1 ? actionKinds[kind].noun : actionKinds[kind].nouns}`);
  return words.length === 0 ? `0 ${actionKinds.request.nouns}` : words.join(', ');
}
