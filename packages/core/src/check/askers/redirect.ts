import { quoted } from '../kinds/check-kind.js';
import type { redirect } from '../kinds/redirect.js';
import type { CheckAsker } from './check-asker.js';

/** Asks where a redirect leads to. */
export const redirectAsker: CheckAsker<typeof redirect> = {
  failure: (checked, { location }, fill) => {
    const to = fill(checked.to);
    if (location?.includes(to)) return null;
    return location === undefined
      ? `It does not redirect, where it should lead to ${quoted(to)}.`
      : `It redirects to ${quoted(location)}, where it should lead to ${quoted(to)}.`;
  },
  readsBody: () => false,
  problem: ({ to }) => (to.length === 0 ? 'Write a text of the address that it is to lead to.' : null),
};
