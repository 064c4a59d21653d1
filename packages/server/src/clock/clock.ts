/** What time it is, and a call from time to time; tests have one of their own. */
export interface Clock {
  /** In ms since 1970. */
  now: () => number;
  /** Calls `work` again and again until what it gives is called. */
  every: (ms: number, work: () => void) => () => void;
}

export const systemClock: Clock = {
  now: Date.now,
  every: (ms, work) => {
    const timer = setInterval(work, ms);
    timer.unref();
    return () => {
      clearInterval(timer);
    };
  },
};
