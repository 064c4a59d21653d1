import { FunctionExpressionType, JSONPathEnvironment, type FilterFunction, type JSONPathQuery, type JSONValue } from 'json-p3';
import { RE2JS } from 're2js';
import { compileExpression } from '../values/expression.js';

/** A node that a path selects, with its place as a normalised path (RFC 9535, 2.7). */
export interface JsonNode {
  value: unknown;
  keys: (string | number)[];
}

const dot = '[^\\n\\r]';

/** An expression of RFC 9485 as RE2 reads it: a dot outside of a class is no line end there, and everything else means the same. */
const ofRe2 = (pattern: string): string => pattern.replace(/\\[\s\S]|\[(?:\\[\s\S]|[^\]\\])*\]|\./g, (part) => (part === '.' ? dot : part));

/** `match` and `search` of RFC 9535 (2.4.6, 2.4.7), run by an automaton: no expression takes more than linear time. */
const expressionFunction = (whole: boolean): FilterFunction => {
  const known = new Map<string, RE2JS | null>();
  const compiled = (pattern: string): RE2JS | null => {
    const before = known.get(pattern);
    if (before !== undefined) return before;
    let expression: RE2JS | null;
    try {
      expression = compileExpression(ofRe2(pattern));
    } catch {
      expression = null;
    }
    if (known.size > 200) known.clear();
    known.set(pattern, expression);
    return expression;
  };
  return {
    argTypes: [FunctionExpressionType.ValueType, FunctionExpressionType.ValueType],
    returnType: FunctionExpressionType.LogicalType,
    call: (text: unknown, pattern: unknown) => {
      if (typeof text !== 'string' || typeof pattern !== 'string') return false;
      const matcher = compiled(pattern)?.matcher(text);
      return matcher ? (whole ? matcher.matches() : matcher.find()) : false;
    },
  };
};

const environment = new JSONPathEnvironment();
environment.functionRegister.set('match', expressionFunction(true));
environment.functionRegister.set('search', expressionFunction(false));

/** Paths that were read, because a virtual user asks the same ones again and again. */
const knownPaths = new Map<string, JSONPathQuery>();
const mostKnownPaths = 2000;

/** Reads a path. Throws where it is not valid (RFC 9535, 2.1). */
export function jsonPath(text: string): JSONPathQuery {
  const known = knownPaths.get(text);
  if (known) return known;
  const path = environment.compile(text);
  if (knownPaths.size >= mostKnownPaths) knownPaths.clear();
  knownPaths.set(text, path);
  return path;
}

/** The nodes that a path selects. A document that is nested deeper than can be followed has none. Throws where the path is not valid. */
export function jsonNodes(path: string, document: unknown): JsonNode[] {
  const query = jsonPath(path);
  try {
    return query.query(document as JSONValue).nodes.map(({ value, location }) => ({ value, keys: location }));
  } catch {
    return [];
  }
}
