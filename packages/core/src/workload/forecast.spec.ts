import {
  bindColumn,
  dryDeal,
  onceInOrder,
  plainColumns,
  curveSeconds,
  forecast,
  isLoopback,
  plainEnvironment,
  resolveTarget,
  scriptFromTake,
  usersAt,
  userSpans,
  type Crew,
  type DataTable,
  type Script,
  type Workload,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, TakeBuilder } from '../test/take-builder.js';

const take = new TakeBuilder().add(['GET', '/a'], [200, []]).add(['POST', '/b', form, 'no=N77'], [200, []]).load();
const plain = scriptFromTake(take, { scriptId: 's', name: 'S', tidy: everything });
const fed = bindColumn(plain, 'N77', [{ step: 's2', place: 'form:no' }], 'd', 'number');
const table = (free: number, when: 'iteration' | 'user' = 'iteration'): DataTable => ({
  id: 'd',
  projectId: 'p',
  name: 'Numbers',
  columns: plainColumns(['number']),
  version: 0,
  rowCount: 100,
  spentCount: 100 - free,
  deal: { ...onceInOrder, when },
});
const crew = (more: Partial<Crew> = {}): Crew => ({
  id: 'c',
  name: 'Bookers',
  scriptId: 's',
  users: 5,
  think: { kind: 'recorded', factor: 1, ms: 0, capMs: 10_000 },
  pacing: { kind: 'start-to-start', seconds: 10 },
  onFailure: 'next-iteration',
  ...more,
});
const workload = (crews: Crew[], rampUpSeconds = 20): Workload => ({
  id: 'w',
  projectId: 'p',
  name: 'W',
  crews,
  curve: { kind: 'ramp', together: 1, rampUpSeconds, holdSeconds: 60, rampDownSeconds: 10, atEnd: 'iteration' },
  criteria: [],
  generators: 1,
  seed: '1',
});
const forecastOf = (crews: Crew[], tables: DataTable[], script = fed, rampUpSeconds = 20) =>
  forecast(workload(crews, rampUpSeconds), new Map([['s', script]]), tables, () => 500);

describe('the load curve', () => {
  const ownWorkload = workload([crew()]);

  it('spreads starts over the ramp-up and ends over the ramp-down', () => {
    expect(curveSeconds(ownWorkload)).toBe(90);
    expect([0, 1, 4].map((n) => userSpans(ownWorkload.curve, n, 5)[0])).toEqual([
      { startSeconds: 0, endSeconds: 80 },
      { startSeconds: 4, endSeconds: 82 },
      { startSeconds: 16, endSeconds: 88 },
    ]);
  });

  it('counts the users of all crews at a moment', () => {
    const both = workload([crew(), crew({ id: 'c2', users: 2 })]);
    expect([0, 5, 50, 81, 90].map((second) => usersAt(both, second))).toEqual([2, 3, 7, 5, 0]);
  });
});

describe('the forecast', () => {
  it('tells iterations, requests and rows from pacing and curve', () => {
    const plain = forecastOf([crew()], [table(100)]);
    // Spans of 80, 78, 76, 74 and 72 s hold 8 starts each at one every 10 s.
    expect(plain).toMatchObject({ seconds: 90, users: 5, iterations: 40, requests: 80, obstacles: [], warnings: [] });
    expect(plain.tables).toEqual([{ table: 'd', rowsNeeded: 40, rowsFree: 100, emptyAtSeconds: null }]);
  });

  it('tells when the rows run out, and when one row for each user is enough', () => {
    expect(forecastOf([crew()], [table(10)]).tables[0]).toMatchObject({ rowsNeeded: 40, emptyAtSeconds: 23 });
    expect(forecastOf([crew()], [table(10, 'user')]).tables[0]).toMatchObject({ rowsNeeded: 5, emptyAtSeconds: null });
  });

  it('says what prevents a run, and what to be warned of', () => {
    expect(forecastOf([crew()], [table(0)]).obstacles).toEqual([expect.stringContaining('“Numbers” has no free row left') as string]);
    expect(forecastOf([crew()], []).obstacles).toEqual([expect.stringContaining('takes data from a table that is gone') as string]);
    expect(forecastOf([crew({ scriptId: 'x' })], []).obstacles[0]).toContain('has no script');
    expect(forecastOf([], []).obstacles[0]).toContain('There is no crew yet');
    expect(forecastOf([crew({ pacing: { kind: 'start-to-start', seconds: 0.5 } })], [table(100)]).warnings[0]).toContain(
      'The rate will not be reached',
    );
    expect(forecastOf([crew()], [table(100)], fed, 0).warnings[0]).toContain('stampede');
  });
});

describe('targets', () => {
  const now = Date.UTC(2026, 0, 1);
  const environment = {
    ...plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: ['http://127.0.0.1:4701', 'http://10.0.0.1'] }),
    map: { 'http://old': 'http://127.0.0.1:4701' },
  };

  it('are loopback names only (RFC 1122, 3.2.1.3; RFC 4291, 2.5.3; RFC 6761, 6.3)', () => {
    expect(['http://127.0.0.1:1', 'http://127.9.9.9', 'http://[::1]:80', 'http://localhost'].every(isLoopback)).toBe(true);
    expect(['http://10.0.0.1', 'http://127.0.0.1.example', 'http://[::2]', 'http://localhost.example', 'nothing'].some(isLoopback)).toBe(
      false,
    );
  });

  it('follow the map, and are refused where the environment does not name them or they are not here', () => {
    expect(resolveTarget('http://old', environment, now)).toEqual({ origin: 'http://127.0.0.1:4701' });
    expect(resolveTarget('http://other', environment, now)).toMatchObject({
      refused: expect.stringContaining('is not a target of the environment “E”') as string,
    });
    expect(resolveTarget('http://10.0.0.1', environment, now)).toMatchObject({
      refused: expect.stringContaining('is not on this machine and is not cleared') as string,
    });
  });
});

describe('the dry deal', () => {
  const users = (count: number, more: Partial<Crew> = {}): Workload => workload([crew({ users: count, ...more })], 0);
  const dealt = (given: Workload, dataTable: DataTable, script = fed, most = 20) =>
    dryDeal(given, new Map([[script.id, script]]), [dataTable], () => 100, most).iterations.map(({ user, iteration, takes }) => [
      user,
      iteration,
      takes.map(({ places, further, empty }) => [places.join(' '), further, empty]),
    ]);
  const pace = { pacing: { kind: 'start-to-start' as const, seconds: 10 } };

  it('gives each iteration the next row, in the order in which they would start', () => {
    expect(dealt(users(2, { ...pace, iterations: 2 }), table(100))).toEqual([
      [1, 1, [['0', 0, null]]],
      [2, 1, [['1', 0, null]]],
      [1, 2, [['2', 0, null]]],
      [2, 2, [['3', 0, null]]],
    ]);
  });

  it('keeps the row of a user, and one row for all where the deal says so', () => {
    const two = users(2, { ...pace, iterations: 2 });
    expect(dealt(two, table(100, 'user')).map((deal) => deal[2])).toEqual([
      [['0', 0, null]],
      [['1', 0, null]],
      [['0', 0, null]],
      [['1', 0, null]],
    ]);
    const run = { ...table(100), deal: { ...table(100).deal, when: 'run' as const } };
    expect(dealt(two, run).map((deal) => deal[2])).toEqual(Array.from({ length: 4 }, () => [['0', 0, null]]));
  });

  it('tells where a table runs out, and who stops then', () => {
    expect(dealt(users(2, { ...pace, iterations: 3 }), table(3))).toEqual([
      [1, 1, [['0', 0, null]]],
      [2, 1, [['1', 0, null]]],
      [1, 2, [['2', 0, null]]],
      [2, 2, [['', 0, 'stop-user']]],
      [1, 3, [['', 0, 'stop-user']]],
    ]);
    const ends = { ...table(3), deal: { ...table(3).deal, whenEmpty: 'end-run' as const } };
    expect(dealt(users(2, { ...pace, iterations: 3 }), ends).at(-1)).toEqual([2, 2, [['', 0, 'end-run']]]);
  });

  it('counts each use where each use takes a row, and the forecast does too', () => {
    const uses = { ...table(100), deal: { ...table(100).deal, when: 'use' as const } };
    const twice: Script = {
      ...fed,
      transactions: fed.transactions.map((transaction) => ({
        ...transaction,
        steps: [{ kind: 'repeat', id: 'r', name: 'R', times: 5, pauseMs: 0, steps: transaction.steps }],
      })),
    };
    expect(dealt(users(1, { iterations: 1 }), uses, twice)).toEqual([[1, 1, [['0 1 2', 2, null]]]]);
    const predicted = forecast(users(3, { iterations: 2 }), new Map([[twice.id, twice]]), [uses], () => 100);
    expect(predicted.tables[0]?.rowsNeeded).toBe(30);
  });
});
