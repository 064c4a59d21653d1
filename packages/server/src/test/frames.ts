import { Tally, type Frame } from '@sturdy/core';

/** What a generator with one user tells of a second in which nothing failed. */
export const quietFrame = (second: number, generator = 0): Frame => ({
  version: 1,
  generator,
  second,
  activeUsers: 1,
  iterationsPassed: 1,
  iterationsFailed: 0,
  failures: [],
  users: [],
  loopDelayMs: 0,
  latenessMs: 0,
  missedArrivals: 0,
  items: [{ crew: 'c', transaction: 'T', step: null, tally: new Tally().toData() }],
});
