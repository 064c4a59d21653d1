import { ResponseView } from '../../answers/response-view.js';
import type { status } from '../kinds/status.js';
import type { CheckAsker } from './check-asker.js';

/** Asks for the status of a response. */
export const statusAsker: CheckAsker<typeof status> = {
  failure: ({ statuses }, { view }) => {
    if (!(view instanceof ResponseView)) return 'The answer has no status.';
    return statuses.includes(view.status) ? null : `It answered ${view.status} instead of ${statuses.join(' or ')}.`;
  },
  readsBody: () => false,
};
