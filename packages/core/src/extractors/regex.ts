import * as z from 'zod';
import { compileExpression } from '../values/expression.js';
import { regexMatches } from '../answers/text-matches.js';
import { extractorKind, nth, pick, refining, type ExtractorReader } from './extractor-kind.js';
import { besideInText } from './lines.js';

/** The first group of an expression (RE2), or its whole match. */
export const regex = extractorKind({
  schema: z.object({ kind: z.literal('regex'), pattern: z.string(), nth, pick: pick.optional(), ...refining }),
  reads: 'body',
  receivedIn: 'text',
  words: ({ pattern }) => `the text that ${pattern} finds`,
});

export const regexReader: ExtractorReader<typeof regex> = {
  find: ({ pattern }, { body }, beside) => besideInText(regexMatches(pattern, body), body, beside),
  check: ({ pattern }) => {
    compileExpression(pattern);
  },
};
