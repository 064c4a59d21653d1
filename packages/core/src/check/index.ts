export type { Answer } from './askers/check-asker.js';
export * from './check-templates.js';
export * from './check.js';
export {
  CheckSchema,
  CheckedSchema,
  ConditionSchema,
  type Check,
  type Checked,
  type CheckKindName,
  type Condition,
} from './check.schema.js';
export * from './compares.js';
export * from './comparison.js';
export * from './failure-sign.js';
export type { ChangeTemplate } from './kinds/check-kind.js';
