import { clockPoint, diskPoint, generatorPoint, isReady, rowPoints } from '../index.js';

const gigabyte = 1 << 30;

describe('what is looked at before a run begins', () => {
  it('tells whether rows last until the end, and when they will not', () => {
    const points = rowPoints(
      {
        tables: [
          { table: 'a', rowsNeeded: 400, rowsFree: 1200, emptyAtSeconds: null },
          { table: 'b', rowsNeeded: 400, rowsFree: 100, emptyAtSeconds: 150 },
        ],
      },
      (id) => ({ a: 'Growers', b: 'Containers' })[id] ?? id,
    );
    expect(points.map(({ state, text }) => `${state}: ${text}`)).toEqual([
      'good: “Growers” has 1,200 free rows; about 400 are dealt.',
      'bad: “Containers” has 100 free rows of about 400 that are needed, and will be empty after 150 s. Add rows, or release spent ones.',
    ]);
    expect(isReady({ at: '', points })).toBe(false);
    expect(isReady({ at: '', points: points.slice(0, 1) })).toBe(true);
  });

  it('wants room on the disk for what is written, and something left', () => {
    const run = { requests: 5_000_000, seconds: 3600 };
    expect(diskPoint(run, 2 * gigabyte)).toMatchObject({ state: 'good' });
    expect(diskPoint(run, gigabyte)).toMatchObject({ state: 'bad', text: expect.stringContaining('Make room.') as string });
  });

  // RFC 9110, 6.6.1: Date has whole seconds; that they are cut off is common practice, no source.
  it('compares clocks no finer than the target tells its time', () => {
    expect(clockPoint(1_000_000, 1_000_990, 20).state).toBe('good');
    expect(clockPoint(1_000_000, 1_004_500, 20)).toMatchObject({ state: 'unsure', text: expect.stringContaining('4 s behind') as string });
    expect(clockPoint(1_060_000, 1_000_500, 20).text).toContain('60 s ahead of');
    expect(clockPoint(null, 0, 20).state).toBe('unsure');
  });

  it('wants memory for the users', () => {
    expect(generatorPoint(1000, 4, gigabyte, 300_000).state).toBe('good');
    expect(generatorPoint(20_000, 4, gigabyte, 300_000).state).toBe('bad');
  });
});
