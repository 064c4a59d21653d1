import { compileExpression } from '../values/expression.js';
import type { Comparison } from './comparison.js';

/** A number as answers show it, with or without commas between thousands; NaN for anything else. */
const asNumber = (text: string): number => {
  const trimmed = text.trim();
  if (trimmed === '') return Number.NaN;
  return Number(/^-?\d{1,3}(,\d{3})+(\.\d+)?$/.test(trimmed) ? trimmed.replace(/,/g, '') : trimmed);
};

/** True where the comparison holds. Throws where an expression is not valid. */
export function compares(left: string, is: Comparison, right: string): boolean {
  switch (is) {
    case 'equals':
      return left === right;
    case 'differs':
      return left !== right;
    case 'contains':
      return left.includes(right);
    case 'lacks':
      return !left.includes(right);
    case 'matches':
      return compileExpression(right).matcher(left).find();
    case 'less':
      return asNumber(left) < asNumber(right);
    case 'more':
      return asNumber(left) > asNumber(right);
    case 'empty':
      return left === '';
    case 'filled':
      return left !== '';
  }
}
