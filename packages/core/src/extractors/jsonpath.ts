import * as z from 'zod';
import { jsonMatches, spansOfMembers } from '../answers/json-members.js';
import { jsonPath } from '../answers/json-path.js';
import { extractorKind, pick, refining, withoutPlace, type ExtractorReader } from './extractor-kind.js';

/** Members of a JSON document, by JSONPath (RFC 9535). */
export const jsonpath = extractorKind({
  schema: z.object({ kind: z.literal('jsonpath'), path: z.string(), pick, ...refining }),
  reads: 'body',
  receivedIn: 'json',
  words: ({ path }) => path,
});

export const jsonpathReader: ExtractorReader<typeof jsonpath> = {
  find: ({ path }, answer, beside) => jsonMatches(path, answer.json, beside).map(({ text }) => withoutPlace(text)),
  spans: ({ path }, answer, beside) => spansOfMembers(answer.body, jsonMatches(path, answer.json, beside)),
  check: ({ path }) => {
    jsonPath(path);
  },
};
