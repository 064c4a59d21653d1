import { RE2JS } from 're2js';
import { compileExpression } from '../values/expression.js';

/** A text that was found in an answer, and where it stands, in UTF-16 units; from 0 to 0 where it has no place in the body. */
export interface Found {
  text: string;
  start: number;
  end: number;
}

/** More matches than this are not looked for. */
export const mostMatches = 10_000;

/**
 * Matches of an expression, in time linear in the text whatever the expression: it is run by an automaton (Thompson 1968), which
 * has no look-around and no back-references. Throws where the expression is not valid.
 */
export function regexMatches(pattern: string, text: string): Found[] {
  const found: Found[] = [];
  const matcher = compileExpression(pattern, RE2JS.MULTILINE).matcher(text);
  const group = matcher.groupCount() > 0 ? 1 : 0;
  while (found.length < mostMatches && matcher.find()) {
    // An optional group that took no part has no place; then the expression found nothing to read.
    const matched = matcher.group(group);
    if (matched != null) found.push({ text: matched, start: matcher.start(group), end: matcher.end(group) });
  }
  return found;
}
