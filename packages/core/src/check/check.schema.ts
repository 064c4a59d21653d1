import * as z from 'zod';
import { TemplateSchema } from '../values/template.schema.js';
import { ComparisonSchema } from './comparison.js';
import type { CheckKind } from './kinds/check-kind.js';
import { count } from './kinds/count.js';
import { redirect } from './kinds/redirect.js';
import { size } from './kinds/size.js';
import { status } from './kinds/status.js';
import { text } from './kinds/text.js';
import { time } from './kinds/time.js';
import { value } from './kinds/value.js';

/** Something that is true or not while a script is played. */
export const ConditionSchema = z.object({ left: TemplateSchema, is: ComparisonSchema, right: TemplateSchema });
export type Condition = z.infer<typeof ConditionSchema>;

/** All that a check can look at; `check-askers.ts` asks, `check-texts.ts` of the script text writes, and the web client has a form for each. */
export const checkKinds = { text, value, count, status, redirect, size, time } as const;

type Kinds = typeof checkKinds;
export type CheckKindName = keyof Kinds;
export const checkKindNames = Object.keys(checkKinds) as CheckKindName[];
/** What a check looks at in the answer of its step. */
export type Checked = { [Kind in CheckKindName]: z.infer<Kinds[Kind]['schema']> }[CheckKindName];

/** The schemas of all kinds; there is at least one. */
const schemas = Object.values(checkKinds).map(({ schema }) => schema) as [
  Kinds[CheckKindName]['schema'],
  ...Kinds[CheckKindName]['schema'][],
];
export const CheckedSchema = z.discriminatedUnion('kind', schemas);

/** The functions of a check's kind. They are given that very check, so what its schema says of it holds. */
export const checkKindOf = (checked: Checked): CheckKind => checkKinds[checked.kind];

/** A check of an answer. `mark` counts the step as failed and leaves what follows to the crew. */
export const CheckSchema = z.object({
  id: z.string(),
  checked: CheckedSchema,
  onFailure: z.enum(['mark', 'next-iteration', 'stop-user']),
});
export type Check = z.infer<typeof CheckSchema>;
