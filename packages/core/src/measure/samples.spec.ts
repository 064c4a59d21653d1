import fc from 'fast-check';
import { quantileRankSorted } from 'simple-statistics';
import { columnsOf, querySamples, SampleBatchSchema, SampleBook, SampleTable, staysOf, usersOf, type Sample } from '../index.js';

const sample = fc.record({
  crew: fc.constantFrom('a', 'b'),
  transaction: fc.constantFrom('Book', 'Find'),
  step: fc.constantFrom('s1', 's2', 's3'),
  atMs: fc.integer({ min: 0, max: 600_000 }),
  durationMs: fc.integer({ min: 0, max: 60_000 }),
  firstByteMs: fc.integer({ min: 0, max: 1000 }),
  bytesIn: fc.integer({ min: 0, max: 4_000_000_000 }),
  bytesOut: fc.integer({ min: 0, max: 70_000 }),
  user: fc.integer({ min: 1, max: 20 }),
  iteration: fc.integer({ min: 1, max: 9 }),
  status: fc.constantFrom(null, 200, 303, 500),
  failure: fc.constantFrom(null, null, 'It answered 500.', 'no answer'),
});

/** The samples dealt out to so many books, each taken out in batches of at most five. */
function tableOf(samples: readonly Sample[], books: number, room = samples.length): SampleTable {
  const table = new SampleTable(room);
  for (let bookNumber = 0; bookNumber < books; bookNumber++) {
    const book = new SampleBook();
    const flush = () => {
      const batch = book.take();
      if (!batch) return;
      const read = SampleBatchSchema.parse(JSON.parse(JSON.stringify(batch)));
      table.add(columnsOf(read), read.count, read.names, read.kinds);
    };
    samples
      .filter((_, at) => at % books === bookNumber)
      .forEach((sample, at) => {
        book.add(sample);
        if (at % 5 === 4) flush();
      });
    flush();
  }
  return table;
}
const sorted = (list: readonly Sample[]) => list.map((sample) => JSON.stringify(sample, Object.keys(sample).sort())).sort();

describe('samples', () => {
  it('are the same however they were split over generators and seconds, and after a trip as plain data', () => {
    fc.assert(
      fc.property(fc.array(sample, { maxLength: 60 }), fc.integer({ min: 1, max: 5 }), (samples, books) => {
        const table = tableOf(samples, books);
        expect(sorted(Array.from({ length: table.count }, (_, at) => table.at(at)))).toEqual(sorted(samples));
      }),
    );
  });

  it('are narrowed and put in order as plain loops would, with figures by nearest rank', () => {
    fc.assert(
      fc.property(
        fc.array(sample, { maxLength: 260 }),
        fc.record(
          {
            crew: fc.constantFrom('a', 'b'),
            transaction: fc.constant('Book'),
            step: fc.constant('s2'),
            user: fc.integer({ min: 1, max: 20 }),
            failed: fc.constantFrom('yes' as const, 'no' as const),
            failure: fc.constantFrom('status-unexpected', 'status-unexpected:503', 'connection-refused'),
            atLeastMs: fc.integer({ min: 0, max: 60_000 }),
            fromSecond: fc.integer({ min: 0, max: 300 }),
            toSecond: fc.integer({ min: 0, max: 600 }),
          },
          { requiredKeys: [] },
        ),
        fc.integer({ min: 0, max: 2 }),
        (samples, query, page) => {
          const wanted = samples.filter(
            (sample) =>
              sample.crew === (query.crew ?? sample.crew) &&
              sample.transaction === (query.transaction ?? sample.transaction) &&
              sample.step === (query.step ?? sample.step) &&
              sample.user === (query.user ?? sample.user) &&
              (query.failed === undefined || (sample.failure !== null) === (query.failed === 'yes')) &&
              (query.failure === undefined || `${sample.failure ?? ''}:`.startsWith(`${query.failure}:`)) &&
              sample.durationMs >= (query.atLeastMs ?? 0) &&
              sample.atMs >= (query.fromSecond ?? 0) * 1000 &&
              sample.atMs < (query.toSecond ?? Infinity) * 1000,
          );
          const found = querySamples(tableOf(samples, 1), { ...query, order: 'slowest', page });
          expect([found.total, found.failures]).toEqual([wanted.length, wanted.filter((sample) => sample.failure !== null).length]);
          const times = wanted.map((sample) => sample.durationMs).sort((left, right) => left - right);
          expect(found.rows.map((row) => row.durationMs)).toEqual([...times].reverse().slice(page * 100, page * 100 + 100));
          expect(found.maxMs).toBe(times.at(-1) ?? 0);
          expect(found.p95Ms).toBe(times[Math.ceil(0.95 * times.length) - 1] ?? 0);
          if (times.length > 0) expect(quantileRankSorted(times, found.p50Ms)).toBeGreaterThanOrEqual(0.5 - 1e-9);
          const users = usersOf(tableOf(samples, 1), { ...query, order: 'time', page: 0 });
          expect(users.reduce((sum, user) => sum + user.samples, 0)).toBe(wanted.length);
        },
      ),
    );
  });

  it('are thinned by whole iterations, and what stays of every fourth stays of every second', () => {
    for (let user = 1; user <= 50; user++)
      for (let iteration = 1; iteration <= 50; iteration++) if (staysOf(4, user, iteration)) expect(staysOf(2, user, iteration)).toBe(true);
    const places = Array.from({ length: 10_000 }, (_, at) => staysOf(8, 1 + (at % 100), 1 + Math.floor(at / 100)));
    // A fair eighth of 10,000 is 1,250 with a deviation of 33; five of them are allowed.
    expect(Math.abs(places.filter(Boolean).length - 1250)).toBeLessThan(165);
  });
});
