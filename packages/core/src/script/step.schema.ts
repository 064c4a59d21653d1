import * as z from 'zod';
import { actionStepSchemas } from '../actions/action-step.schema.js';
import { RequestStepSchema } from '../actions/http/request.schema.js';
import { ConditionSchema, type Condition } from '../check/check.schema.js';
import { ExtractorSchema } from '../extractors/extractor.schema.js';
import { TemplateSchema } from '../values/template.schema.js';

/** How a pause is drawn anew each time; absent where it always lasts the same. */
export const SpreadSchema = z.discriminatedUnion('kind', [
  /** Between `ms - by` and `ms + by`, all alike likely. */
  z.object({ kind: z.literal('uniform'), byMs: z.number().nonnegative() }),
  /** Log-normal with the pause as its median; `sigma` is the standard deviation of its logarithm. */
  z.object({ kind: z.literal('log-normal'), sigma: z.number().min(0).max(3) }),
]);
export type Spread = z.infer<typeof SpreadSchema>;

export const PauseStepSchema = z.object({
  kind: z.literal('pause'),
  id: z.string(),
  ms: z.number().nonnegative(),
  spread: SpreadSchema.optional(),
});
export const CommentStepSchema = z.object({ kind: z.literal('comment'), id: z.string(), text: z.string() });
/** Writes a line into the log of the rehearsal. */
export const LogStepSchema = z.object({ kind: z.literal('log'), id: z.string(), text: TemplateSchema });
/** Sets a variable of the virtual user; it stays set until it is set anew. */
export const VariableStepSchema = z.object({ kind: z.literal('variable'), id: z.string(), name: z.string().min(1), value: TemplateSchema });
/** Sets, reads or deletes a cookie of the virtual user; `read` puts it into the variable called `value`. */
export const CookieStepSchema = z.object({
  kind: z.literal('cookie'),
  id: z.string(),
  action: z.enum(['set', 'read', 'delete']),
  /** Recorded origin whose cookie it is. */
  origin: z.string(),
  name: z.string().min(1),
  value: TemplateSchema,
});
/** JavaScript in a sandbox: it sees the last answer and the variables, and may set variables and change the next request. */
export const CodeStepSchema = z.object({
  kind: z.literal('code'),
  id: z.string(),
  name: z.string(),
  source: z.string().max(200_000),
  timeMs: z.number().int().min(1).max(10_000),
  memoryMb: z.number().int().min(16).max(256),
});
export type CodeStep = z.infer<typeof CodeStepSchema>;
/** What a code step may take where nothing else is said. */
export const codeLimits = { timeMs: 100, memoryMb: 16 };
/** Virtual users wait here until `users` of them have come, for `atMostMs` at most. */
export const MeetStepSchema = z.object({
  kind: z.literal('meet'),
  id: z.string(),
  name: z.string(),
  users: z.number().int().min(2).max(20_000),
  atMostMs: z.number().int().min(1).max(3_600_000),
});

/** Requests that run at the same time; the step ends when the last of them has. */
export const SideBySideStepSchema = z.object({ kind: z.literal('side-by-side'), id: z.string(), steps: z.array(RequestStepSchema) });
export type SideBySideStep = z.infer<typeof SideBySideStepSchema>;

/**
 * What a repeat goes by, where it is not a number of times; `times` is then the most rounds there are. `each-match` plays a round for
 * each match of an extractor in the last answer of a step, with the match in a variable. `each-row` plays a round for each row of a table:
 * for all of them from the first on where rows may be dealt again, else for one that is newly dealt each time, until there is none left.
 */
export const LoopSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('while'), condition: ConditionSchema }),
  z.object({ kind: z.literal('each-match'), step: z.string(), extractor: ExtractorSchema, variable: z.string().min(1) }),
  z.object({ kind: z.literal('each-row'), table: z.string() }),
]);
export type Loop = z.infer<typeof LoopSchema>;

const repeatFields = {
  kind: z.literal('repeat'),
  id: z.string(),
  name: z.string(),
  times: z.number().int().min(1).max(10_000),
  pauseMs: z.number().nonnegative(),
  loop: LoopSchema.optional(),
};
const whenFields = { kind: z.literal('when'), id: z.string(), name: z.string(), condition: ConditionSchema };

/** Steps that are played again and again, with a pause between two rounds. */
export interface RepeatStep {
  kind: 'repeat';
  id: string;
  name: string;
  times: number;
  pauseMs: number;
  loop?: Loop | undefined;
  steps: Step[];
}

/** Steps that are played only where a condition holds. */
export interface WhenStep {
  kind: 'when';
  id: string;
  name: string;
  condition: Condition;
  steps: Step[];
}

const leaves = [
  ...actionStepSchemas,
  PauseStepSchema,
  CommentStepSchema,
  LogStepSchema,
  VariableStepSchema,
  CookieStepSchema,
  CodeStepSchema,
  MeetStepSchema,
  SideBySideStepSchema,
] as const;

/** A part of a transaction: a leaf, or a container of steps. */
export type Step = z.infer<(typeof leaves)[number]> | RepeatStep | WhenStep;

export const StepSchema: z.ZodType<Step> = z.lazy(() =>
  z.discriminatedUnion('kind', [
    ...leaves,
    z.object({ ...repeatFields, steps: z.array(StepSchema) }),
    z.object({ ...whenFields, steps: z.array(StepSchema) }),
  ]),
);

/** Steps and what their containers hold, in the order of play. */
export function allSteps(steps: readonly Step[]): Step[] {
  return steps.flatMap((step): Step[] => ('steps' in step ? [step, ...allSteps(step.steps)] : [step]));
}

/** Steps with each changed, those in containers too; a container that is left empty goes. `null` takes a step out. */
export function changeSteps(steps: readonly Step[], change: (step: Step) => Step | null): Step[] {
  return steps.flatMap((step): Step[] => {
    const changed = change(step);
    if (!changed || !('steps' in changed)) return changed ? [changed] : [];
    const inner = changeSteps(changed.steps, change);
    if (inner.length === 0) return [];
    if (changed.kind !== 'side-by-side') return [{ ...changed, steps: inner }];
    const requests = inner.filter((innerStep) => innerStep.kind === 'request');
    // One request alone needs no container.
    return requests.length === 1 ? requests : [{ ...changed, steps: requests }];
  });
}
