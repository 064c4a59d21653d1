import seedrandom from 'seedrandom';
import { findingsOf, plainRules, type FindingGround, type Frame, type PlayedTable } from '../index.js';
import { simulate } from '../test/closed-system.js';
import { prepareGround } from './ground.js';
import { unusualRows } from './kinds/rows.js';

const seconds = 100;
const simulated = simulate({
  workers: 2,
  serviceSeconds: 0.04,
  thinkSeconds: 0.3,
  users: 4,
  curve: { kind: 'at-once', holdSeconds: seconds, rampDownSeconds: 0, atEnd: 'iteration' },
  seed: 'rows',
});
/** Bookings of four docks and eight customers; the number of each names it alone. */
const table: PlayedTable = {
  id: 'd',
  name: 'Bookings',
  columns: ['number', 'dock', 'customer', 'password'],
  rows: new Map(Array.from({ length: 320 }, (_, at) => [at + 1, [`N${at}`, `D${at % 4}`, `K${Math.floor(at / 4) % 8}`, `p${at % 3}`]])),
};

interface Iteration {
  second: number;
  row: number;
  random: () => number;
}

/** What is found where 3,000 iterations are played over the hold; `rowAt` says with which row, `ms` how long it takes, and null that it fails. */
function found(
  ms: (iteration: Iteration) => number | null,
  {
    seed = 'a',
    rowAt = ({ random }: Pick<Iteration, 'random'>) => 1 + Math.floor(320 * random()),
    tables = [table],
  }: {
    seed?: string;
    rowAt?: (place: { at: number; random: () => number }) => number;
    tables?: PlayedTable[];
  } = {},
) {
  const random = seedrandom(seed);
  const played = Array.from({ length: seconds }, () => ({
    crew: 'c',
    table: 'd',
    passed: [] as number[],
    passedMs: [] as number[],
    failed: [] as number[],
  }));
  for (let at = 0; at < 3000; at++) {
    const second = Math.floor(at / 30);
    const row = rowAt({ at, random });
    const took = ms({ second, row, random });
    if (took === null) played[second]?.failed.push(row);
    else {
      played[second]?.passed.push(row);
      played[second]?.passedMs.push(took);
    }
  }
  const frames: Frame[] = simulated.frames.map((frame) => ({ ...frame, playedRows: [played[frame.second] ?? []].flat() }));
  const ground: FindingGround = { ...simulated, frames, rules: plainRules, capacityPercent: null, baseline: null, random, tables };
  return {
    ground,
    told: () =>
      findingsOf(ground)
        .filter(({ id }) => id.startsWith('rows'))
        .map(({ sentence }) => sentence),
  };
}

const usual = ({ random }: Iteration): number => 200 + 100 * random();
const cells = (row: number): readonly string[] => table.rows.get(row) ?? [];

describe('rows of data', () => {
  it('are told by the value that they have in common where iterations with it fail', () => {
    const { told } = found((iteration) => (cells(iteration.row)[1] === 'D3' && iteration.random() < 0.3 ? null : usual(iteration)));
    expect(told()).toEqual([
      expect.stringMatching(
        /^Iterations with “dock” = “D3” of “Bookings” fail more often than chance explains: 2\d\d of 7\d\d iterations \((2|3)\d\.\d %\), the others 0 of 2,\d+ iterations \(0\.0 %\)\.$/,
      ) as string,
    ]);
  });

  it('are told by their number where one of them fails or is slow, and what others explain is not told of them', () => {
    const { told } = found((iteration) => (iteration.row === 17 ? null : cells(iteration.row)[2] === 'K5' ? 900 : usual(iteration)), {
      rowAt: ({ random }) => (random() < 0.02 ? 17 : 1 + Math.floor(320 * random())),
    });
    expect(told()).toEqual([
      expect.stringMatching(/^Iterations with row 17 of “Bookings” fail .*\(100\.0 %\), the others 0 of/) as string,
      expect.stringMatching(
        /^Iterations with “customer” = “K5” of “Bookings” take longer than chance explains: 900 ms in the median, the others 2[45]\d ms\.$/,
      ) as string,
    ]);
  });

  it('are not blamed for the time at which they came', () => {
    // The table is sorted by its docks, and the system grows slow and fails in the second half.
    const sorted = {
      ...table,
      rows: new Map([...table.rows].map(([row, [number = '', , ...more]]) => [row, [number, `D${Math.floor((row - 1) / 80)}`, ...more]])),
    };
    const { told } = found(
      (iteration) => (iteration.second >= 50 && iteration.random() < 0.2 ? null : usual(iteration) * (1 + iteration.second / 50)),
      {
        rowAt: ({ at }) => 1 + Math.floor((at * 320) / 3000),
        tables: [sorted],
      },
    );
    expect(told()).toEqual([]);
  });

  it('are never told by what may be a secret', () => {
    const { told } = found((iteration) => (cells(iteration.row)[3] === 'p1' ? null : usual(iteration)));
    expect(told().join()).not.toContain('p1');
  });

  it('are told by chance in no more of the runs in which all are alike than the rules allow', () => {
    let wrong = 0;
    for (let trial = 0; trial < 200; trial++) {
      const { ground } = found((iteration) => (iteration.random() < 0.03 ? null : usual(iteration)), { seed: `alike ${trial}` });
      if (unusualRows(prepareGround(ground)).length > 0) wrong++;
    }
    // Failing and slow rows may each be told by chance in one of a hundred: 4 of 200, and more than 9 in less than one of a hundred repetitions (Poisson).
    expect(wrong).toBeLessThanOrEqual(9);
  });
});
