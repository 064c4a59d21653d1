import { isMembers, type Members } from '../members.js';

/**
 * Something stored that holds steps, with each of these changed: a script, a transaction, a part or a container, as JSON or as its text form was read.
 * Nothing of it is checked.
 */
export function changeStoredSteps(stored: unknown, change: (step: Members) => Members): unknown {
  if (!isMembers(stored)) return stored;
  const changed: Record<string, unknown> = { ...stored };
  const { transactions, steps } = stored;
  if (Array.isArray(transactions)) changed['transactions'] = transactions.map((transaction) => changeStoredSteps(transaction, change));
  if (Array.isArray(steps)) changed['steps'] = steps.map((step) => changeStoredSteps(isMembers(step) ? change(step) : step, change));
  return changed;
}
