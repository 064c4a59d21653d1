import * as fc from 'fast-check';
import { ClockBook } from './clock-book.js';

describe('the clocks of generators', () => {
  it('are known after five readings', () => {
    const book = new ClockBook();
    const reads = [1, 2, 3, 4, 5].map((at) => book.read(0, { sentMs: at, ownMs: at }, at));
    expect(reads).toEqual([false, false, false, false, true]);
    book.read(1, { sentMs: 0, ownMs: 0 }, 1);
    expect(book.known).toBe(1);
    expect(book.of(9)).toEqual({ offsetMs: 0, uncertaintyMs: 0 });
  });

  it('are read as NTP reads them: offset ((T2 − T1) + (T3 − T4)) / 2 of the reading with the least delay (RFC 5905, section 8)', () => {
    const book = new ClockBook();
    // T1 = 0, T2 = T3 = 1010, T4 = 40; the second reading took longer and says less.
    book.read(0, { sentMs: 0, ownMs: 1010 }, 40);
    book.read(0, { sentMs: 100, ownMs: 1300 }, 500);
    expect(book.of(0)).toEqual({ offsetMs: (1010 - 0 + (1010 - 40)) / 2, uncertaintyMs: 20 });
    expect(book.longestMs).toBe(400);
  });

  it('are off by no more than what is said to be uncertain, however unlike the ways there and back are', () => {
    const reading = fc.record({ atMs: fc.nat(100_000), thereMs: fc.nat(5_000), backMs: fc.nat(5_000) });
    fc.assert(
      fc.property(fc.integer({ min: -1e6, max: 1e6 }), fc.array(reading, { minLength: 1, maxLength: 8 }), (offsetMs, readings) => {
        const book = new ClockBook();
        for (const { atMs, thereMs, backMs } of readings)
          book.read(0, { sentMs: atMs, ownMs: atMs + thereMs + offsetMs }, atMs + thereMs + backMs);
        const found = book.of(0);
        expect(Math.abs(found.offsetMs - offsetMs)).toBeLessThanOrEqual(found.uncertaintyMs);
        expect(book.longestMs).toBe(Math.max(...readings.map(({ thereMs, backMs }) => thereMs + backMs)));
      }),
      { seed: 5905, numRuns: 500 },
    );
  });
});
