import {
  answerOptions,
  answerShape,
  askedTables,
  catalogueOf,
  laneOptions,
  paperColour,
  plainView,
  QuestionSchema,
  runTables,
  SavedViewSchema,
  seriesId,
  seriesPoints,
  seriesWords,
  smoothed,
  Tally,
  valueAt,
  type Frame,
  type FrameItem,
  type QuestionAnswer,
  type Run,
  type RunColumn,
  type SeriesKey,
} from '../index.js';

const tallyOf = (...times: number[]) => {
  const tally = new Tally();
  for (const [at, ms] of times.entries()) tally.add(ms, at > 0);
  return tally.toData();
};
const item = (crew: string, step: string | null, ...times: number[]): FrameItem => ({
  crew,
  transaction: 'Book',
  step,
  tally: tallyOf(...times),
});
const frame = (second: number, generator: number, items: FrameItem[], users = 3): Frame => ({
  version: 1,
  generator,
  second,
  activeUsers: users,
  iterationsPassed: 1,
  iterationsFailed: 0,
  items,
  failures: [],
  users: [],
  missedArrivals: 0,
  loopDelayMs: 2,
  latenessMs: 0,
});
const run = { workload: { crews: [{ id: 'c1', scriptId: 's' }, { id: 'c2', scriptId: 's' }] }, events: [{ second: 1, kind: 'note', text: 'Backup' }] } as unknown as Run; // prettier-ignore
/** Two generators and two crews in second 1, one of each in second 2. */
const frames = [
  frame(1, 0, [item('c1', null, 10, 20), item('c1', 'st', 10, 20)]),
  frame(1, 1, [item('c2', null, 30, 40), item('c2', 'st', 30, 40)], 4),
  frame(2, 0, [item('c1', null, 50)]),
];
const hosts = [{ id: 'h', host: 'Yard', name: 'processor', unit: '%', points: [[1, 40], [2, null]] as [number, number | null][] }]; // prettier-ignore
const tables = runTables(run, frames, hosts, []);
const rowsOf = (columns: readonly RunColumn[], ...names: string[]) =>
  (columns[0]?.values ?? []).map((_, at) => names.map((name) => columns.find((column) => column.name === name)?.values[at]));

describe('the tables of a run', () => {
  it('merge generators and crews exactly, count each transaction once, and tell steps apart', () => {
    expect(rowsOf(tables.seconds, 'second', 'transaction', 'step', 'count', 'failed', 'mean_ms', 'max_ms')).toEqual([
      [1, null, null, 4, 2, 25, 40],
      [1, 'Book', null, 4, 2, 25, 40],
      [1, 'Book', 'st', 4, 2, 25, 40],
      [2, null, null, 1, 1, 50, 50],
      [2, 'Book', null, 1, 1, 50, 50],
    ]);
    // Nearest rank over 10, 20, 30, 40 (NIST/SEMATECH handbook, 7.2.6.2, without interpolation): p50 is 20, p95 is 40.
    const [[p50, p95] = []] = rowsOf(tables.seconds, 'p50_ms', 'p95_ms');
    expect(p50).toBeCloseTo(20, 0);
    expect(p95).toBeCloseTo(40, 0);
    expect(rowsOf(tables.events, 'second', 'kind', 'text')).toEqual([[1, 'note', 'Backup']]);
  });

  it('have the columns that questions are told of', () => {
    for (const { name, columns } of askedTables)
      if (name !== 'runs' && name !== 'samples')
        expect(['run', ...tables[name].map((column) => column.name)]).toEqual(columns.map((column) => column.name));
  });
});

describe('series', () => {
  const all: SeriesKey = { kind: 'time', transaction: null, step: null, measure: 'count' };
  it('are what a run can show, each with a name and a unit', () => {
    const catalogue = catalogueOf(tables);
    expect(catalogue).toEqual({
      transactions: [{ name: 'Book', steps: ['st'] }],
      hosts: [{ host: 'Yard', figure: 'processor', unit: '%' }],
      generators: [0, 1],
      seconds: 2,
    });
    const keys: SeriesKey[] = [
      { kind: 'users' },
      all,
      { kind: 'time', transaction: 'Book', step: 'st', measure: 'p95' },
      { kind: 'host', host: 'Yard', figure: 'processor' },
      { kind: 'generator', generator: 1, figure: 'delay' },
    ];
    expect(keys.map((key) => Object.values(seriesWords(key, catalogue.hosts)).join(' | '))).toEqual([
      'Virtual users | users',
      'All transactions, per second | 1/s',
      'st, p95 | ms',
      'Yard: processor | %',
      'Generator 2, delay of the event loop | ms',
    ]);
    expect(keys.map((key) => seriesPoints(tables, key).points)).toEqual([
      [[1, 7], [2, 3]],
      [[1, 4], [2, 1]],
      [[1, expect.closeTo(40, 0)]],
      [[1, 40], [2, null]],
      [[1, 2]],
    ]); // prettier-ignore
    expect(seriesPoints(tables, { ...all, transaction: 'Gone' }).points).toEqual([]);
    expect(new Set(keys.map(seriesId)).size).toBe(keys.length);
  });

  it('are smoothed by a mean over a window around each point; gaps count for nothing', () => {
    const points: [number, number | null][] = [[0, 10], [1, null], [2, 30], [3, 50], [10, 70]]; // prettier-ignore
    expect(smoothed(points, 1)).toEqual(points);
    // By hand: windows of three seconds, from 1.5 s before to less than 1.5 s after.
    expect(smoothed(points, 3)).toEqual([[0, 10], [1, 20], [2, 40], [3, 40], [10, 70]]); // prettier-ignore
    expect(valueAt(points, 3.7)).toBe(50);
    expect(valueAt(points, 1.5)).toBeNull();
    expect(valueAt(points, 9)).toBeNull();
  });

  it('stand in a lane on the axis that they were given, with the unit of each side', () => {
    const series = [
      { name: 'Users', unit: 'users', axis: 'left' as const, points: [[0, 1]] as [number, number][], hue: 0 },
      { name: 'p95', unit: 'ms', axis: 'right' as const, points: [[0, 5]] as [number, number][], hue: 9 },
    ];
    const options = laneOptions(
      { series, fromSecond: 10, toSecond: 20, hasTimes: true, stretch: { fromSecond: 12, toSecond: 13 } },
      paperColour,
    );
    expect(options).toMatchObject({
      xAxis: { min: 10, max: 20 },
      yAxis: [{ name: 'users', position: 'left' }, { name: 'ms', position: 'right' }],
      series: [{ markArea: {} }, { name: 'Users', yAxisIndex: 0 }, { name: 'p95', yAxisIndex: 1, lineStyle: { type: 'dashed' } }],
    }); // prettier-ignore
    expect(SavedViewSchema.parse(plainView)).toEqual(plainView);
    expect(QuestionSchema.safeParse({ runs: [], sql: ' ' }).error?.issues.map(({ message }) => message)).toEqual([
      'Choose a run.',
      'Write a question first.',
    ]);
  });
});

describe('an answer as a chart', () => {
  const answer = (names: string[], rows: QuestionAnswer['rows']): QuestionAnswer => ({
    columns: names.map((name) => ({ name, type: '' })),
    rows,
    isCut: false,
    ms: 1,
  });
  it.each([
    ['bars over texts', answer(['step', 'ms'], [['a', 1], ['b', 2]]), { across: 0, heights: [1], by: null }],
    ['lines over a number, told apart by a text', answer(['t', 'minute', 'n', 'p95'], [['a', 0, 5, 1], ['a', 1, 5, 2], ['b', 0, 5, 3]]), { across: 1, heights: [3], by: 0 }],
    ['lines over a number', answer(['second', 'p95', 'cpu'], [[0, 5, null], [1, 6, 40]]), { across: 0, heights: [1, 2], by: null }],
    ['one row', answer(['n'], [[4]]), null],
    ['no number', answer(['a', 'b'], [['x', 'y'], ['z', 'y']]), null],
    ['a number alone', answer(['n'], [[4], [5]]), null],
  ])('is drawn as %s', (_, given, shape) => {
    expect(answerShape(given)).toEqual(shape);
  }); // prettier-ignore

  it('has a line for each text, and bars where texts go across', () => {
    const lines = answer(['t', 'minute', 'p95'], [['a', 0, 1], ['b', 0, 3], ['a', 1, 2]]); // prettier-ignore
    expect(answerOptions(lines, { across: 1, heights: [2], by: 0 }, paperColour)).toMatchObject({
      series: [{ name: 'a', type: 'line', data: [[0, 1], [1, 2]] }, { name: 'b', type: 'line', data: [[0, 3]] }],
    }); // prettier-ignore
    expect(answerOptions(answer(['s', 'ms'], [['a', 1], ['b', 2]]), { across: 0, heights: [1], by: null }, paperColour)).toMatchObject({
      xAxis: { type: 'category', name: 's' },
      series: [{ name: 'ms', type: 'bar' }],
    }); // prettier-ignore
  });
});
