import type { ActionKind } from './action-kind.js';
import type { ActionStep, ActionStepKind, CapturedStep } from './action-step.schema.js';
import { requestKind } from './http/request-kind.js';
import { lineKind } from './line/line-kind.js';
import { messageKind } from './message/message-kind.js';

type Kinds = { [Kind in ActionStepKind]: ActionKind<Extract<ActionStep, { kind: Kind }>, Extract<CapturedStep, { kind: Kind }>> };

/** All kinds of steps that act on an application. */
export const actionKinds: Kinds = { request: requestKind, message: messageKind, line: lineKind };

/** The kind of an action step, planned or played. It is given such steps only, so what its types say of them holds. */
export const actionKindOf = ({ kind }: { kind: ActionStepKind }): ActionKind => actionKinds[kind];

/** True for a step that acts on an application. */
export const isAction = <Step extends { kind: string }>(step: Step): step is Extract<Step, { kind: ActionStepKind }> =>
  Object.hasOwn(actionKinds, step.kind);

/** The exchanges that one step stands for: its own, and the redirects that it follows; none for a step made by hand. */
export const exchangesOf = (step: ActionStep): number[] => actionKindOf(step).exchanges(step);

/** The exchange whose response is the answer of a step; null for a step made by hand. */
export const answerOf = (step: ActionStep): number | null => exchangesOf(step).at(-1) ?? null;
