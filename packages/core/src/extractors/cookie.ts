import * as z from 'zod';
import { ResponseView } from '../answers/response-view.js';
import { headersOf } from '../take/messages.js';
import { extractorKind, refining, withoutPlace, type ExtractorReader } from './extractor-kind.js';

/** A cookie that a response sets (RFC 6265, 4.1). */
export const cookie = extractorKind({
  schema: z.object({ kind: z.literal('cookie'), name: z.string(), ...refining }),
  reads: 'headers',
  receivedIn: 'cookie',
  words: ({ name }) => `the cookie ${name}`,
});

export const cookieReader: ExtractorReader<typeof cookie> = {
  find: ({ name }, answer) =>
    (answer instanceof ResponseView ? headersOf(answer.headers, 'set-cookie') : []).flatMap((line) => {
      const pair = line.split(';')[0] ?? '';
      const equals = pair.indexOf('=');
      return pair.slice(0, equals).trim() === name ? [withoutPlace(pair.slice(equals + 1).trim())] : [];
    }),
};
