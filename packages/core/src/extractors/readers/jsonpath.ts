import { jsonMatches, spansOfMembers } from '../../answers/json-members.js';
import { jsonPath } from '../../answers/json-path.js';
import { withoutPlace, type ExtractorReader } from '../kinds/extractor-kind.js';
import type { jsonpath } from '../kinds/jsonpath.js';

/** Reads members of JSON. */
export const jsonpathReader: ExtractorReader<typeof jsonpath> = {
  find: ({ path }, answer, beside) => jsonMatches(path, answer.json, beside).map(({ text }) => withoutPlace(text)),
  spans: ({ path }, answer, beside) => spansOfMembers(answer.body, jsonMatches(path, answer.json, beside)),
  check: ({ path }) => {
    jsonPath(path);
  },
};
