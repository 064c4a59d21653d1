import { ResponseView } from '../../answers/response-view.js';
import { headersOf } from '../../take/messages.js';
import { withoutPlace, type ExtractorReader } from '../kinds/extractor-kind.js';
import type { header } from '../kinds/header.js';

/** Reads headers. */
export const headerReader: ExtractorReader<typeof header> = {
  find: ({ name }, answer) => (answer instanceof ResponseView ? headersOf(answer.headers, name).map(withoutPlace) : []),
};
