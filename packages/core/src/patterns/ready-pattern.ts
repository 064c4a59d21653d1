import { RE2JS } from 're2js';
import { compileExpression } from '../values/expression.js';
import type { HandoffPattern } from './pattern.schema.js';

/** A pattern with its expressions compiled; null where it has none. */
export interface ReadyPattern {
  pattern: HandoffPattern;
  name: RE2JS | null;
  value: RE2JS | null;
  received: RE2JS | null;
}

/** Compiles the expressions of a pattern. Throws a sentence where one is not valid. */
export const readyPattern = (pattern: HandoffPattern): ReadyPattern => ({
  pattern,
  name: expression(pattern, 'name of what is sent', pattern.sent.name),
  value: expression(pattern, 'value', pattern.sent.value),
  received: expression(pattern, 'name of what is received', pattern.received.name),
});

/** What is wrong with the expressions of a pattern, in a sentence; null where they can be used. */
export function patternProblem(pattern: HandoffPattern): string | null {
  try {
    readyPattern(pattern);
    return null;
  } catch (error) {
    return error instanceof Error ? error.message : String(error);
  }
}

function expression(pattern: HandoffPattern, what: string, text: string): RE2JS | null {
  if (text === '') return null;
  try {
    return compileExpression(text, RE2JS.CASE_INSENSITIVE);
  } catch (error) {
    throw new Error(
      `The pattern “${pattern.name}” cannot be used: the expression for the ${what}, ${text}, is not valid (${error instanceof Error ? error.message : String(error)}).`,
      { cause: error },
    );
  }
}
