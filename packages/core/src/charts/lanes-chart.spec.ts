import { heatCells, lanesOptions, lanesEnd, stretchOf, toldAt, type LanePoint, type LanesView } from '../index.js';

const point = (second: number): LanePoint => ({
  second,
  users: 2,
  perSecond: 3,
  meanMs: 10,
  p50Ms: 9,
  p95Ms: 20,
  maxMs: 30,
  failures: 0,
  loopDelayMs: 1,
});

const host: LanesView['hosts'][number] = { id: 'h', host: 'Yard', name: 'Memory', unit: 'MB', points: [[0, 51.26]] };
const view = (more: Partial<LanesView> = {}): LanesView => ({
  points: [point(0), point(10)],
  seconds: 60,
  limitMs: 2000,
  hosts: [],
  events: [],
  stretch: null,
  ...more,
});

describe('the lanes of a run', () => {
  it('leave a gap where nothing ended in a second', () => {
    const options = lanesOptions(
      { points: [point(0), { ...point(1), p95Ms: null, p50Ms: null }], seconds: 5, limitMs: 100, hosts: [], events: [], stretch: null },
      () => '#000',
    );
    const series = options['series'] as { name: string; data: [number, number | null][] }[];
    expect(series.find((line) => line.name === 'p95')?.data).toEqual([
      [0, 20],
      [1, null],
    ]);
  });

  it('tell at the cursor the nearest second, and of hosts their last figure before it', () => {
    const host = { id: 'h', host: 'Yard', name: 'processor', unit: '%', points: [[0, 10.26], [4, null]] as [number, number | null][] }; // prettier-ignore
    const view = {
      points: [point(0), { ...point(3), p95Ms: null }, point(4)],
      seconds: 9,
      limitMs: null,
      hosts: [host],
      events: [{ kind: 'note' as const, second: 3, text: 'cache was emptied' }],
      stretch: null,
    };
    expect(stretchOf('120-180')).toEqual({ fromSecond: 120, toSecond: 180 });
    expect([stretchOf('9-3'), stretchOf('x'), stretchOf(undefined)]).toEqual([null, null, null]);
    const textsAt = (second: number) => toldAt(view, second).map((tip) => tip.text);
    expect(textsAt(2.4)).toEqual([
      expect.stringContaining('users'),
      expect.stringContaining('none,'),
      expect.any(String),
      '10.3 %',
      'cache was emptied',
    ]);
    expect(textsAt(9).at(-1)).toBe('none');
    expect(toldAt({ ...view, points: [] }, 1)).toEqual([]);
  });

  it('show in a heat band which share of the answers took how long, and joins seconds where there are many', () => {
    // Bands are tenths of a decade: band 10 is 10 to 12.6 ms, band 20 is 100 to 126 ms.
    const cells = heatCells([
      {
        ...point(0),
        bands: [
          [10, 3],
          [20, 1],
        ],
      },
      { ...point(1), bands: [] },
    ]);
    expect(cells).toEqual([
      [-0.5, 0.5, 10, expect.closeTo(12.59, 2), 0.75],
      [-0.5, 0.5, 100, expect.closeTo(125.89, 2), 0.25],
    ]);
    const hour = heatCells(Array.from({ length: 3600 }, (_, second) => ({ ...point(second), bands: [[10, 1] as [number, number]] })));
    expect(hour).toHaveLength(240);
    expect(hour.every((figures) => figures[4] === 1)).toBe(true);
  });

  it('reach to the planned end, or further where the run did', () => {
    expect([lanesEnd(view()), lanesEnd(view({ points: [point(75)] }))]).toEqual([60, 75]);
  });

  it('have one axis each, one below the other, within the chart', () => {
    const options = lanesOptions(view({ hosts: [host, host] }), (name) => name) as {
      grid: { top: string; height: string }[];
      yAxis: unknown[];
      series: { name: string; markLine?: { data: unknown[] } }[];
    };
    expect([options.grid.length, options.yAxis.length]).toEqual([6, 6]);
    let bottom = 0;
    for (const { top, height } of options.grid) {
      expect(parseFloat(top)).toBeGreaterThan(bottom);
      bottom = parseFloat(top) + parseFloat(height);
    }
    expect(bottom).toBeLessThan(100);
    expect(options.series.find(({ name }) => name === 'p95')?.markLine?.data).toEqual([{ yAxis: 2000 }]);
  });
});
