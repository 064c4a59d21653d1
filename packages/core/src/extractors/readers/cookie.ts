import { ResponseView } from '../../answers/response-view.js';
import { headersOf } from '../../take/messages.js';
import { withoutPlace, type ExtractorReader } from '../kinds/extractor-kind.js';
import type { cookie } from '../kinds/cookie.js';

/** Reads cookies that are set. */
export const cookieReader: ExtractorReader<typeof cookie> = {
  find: ({ name }, answer) =>
    (answer instanceof ResponseView ? headersOf(answer.headers, 'set-cookie') : []).flatMap((line) => {
      const pair = line.split(';')[0] ?? '';
      const equals = pair.indexOf('=');
      return pair.slice(0, equals).trim() === name ? [withoutPlace(pair.slice(equals + 1).trim())] : [];
    }),
};
