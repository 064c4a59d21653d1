import type { time } from '../kinds/time.js';
import type { CheckAsker } from './check-asker.js';

/** Asks how long an answer took. */
export const timeAsker: CheckAsker<typeof time> = {
  failure: ({ atMostMs }, { durationMs }) =>
    durationMs <= atMostMs ? null : `It answered in ${Math.round(durationMs)} ms, where at most ${atMostMs} ms are wanted.`,
  readsBody: () => false,
};
