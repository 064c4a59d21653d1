import {
  bindColumn,
  onceInOrder,
  plainColumns,
  curveSeconds,
  forecast,
  isLoopback,
  plainEnvironment,
  resolveTarget,
  scriptFromTake,
  usersAt,
  userSpan,
  type Crew,
  type DataTable,
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
  curve: { rampUpSeconds, holdSeconds: 60, rampDownSeconds: 10, atEnd: 'iteration' },
  criteria: [],
  generators: 1,
  seed: '1',
});
const told = (crews: Crew[], tables: DataTable[], script = fed, rampUpSeconds = 20) =>
  forecast(workload(crews, rampUpSeconds), new Map([['s', script]]), tables, () => 500);

describe('the load curve', () => {
  const { curve } = workload([crew()]);

  it('spreads starts over the ramp-up and ends over the ramp-down', () => {
    expect(curveSeconds(curve)).toBe(90);
    expect([0, 1, 4].map((n) => userSpan(curve, n, 5))).toEqual([
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
    const one = told([crew()], [table(100)]);
    // Spans of 80, 78, 76, 74 and 72 s hold 8 starts each at one every 10 s.
    expect(one).toMatchObject({ seconds: 90, users: 5, iterations: 40, requests: 80, obstacles: [], warnings: [] });
    expect(one.tables).toEqual([{ table: 'd', rowsNeeded: 40, rowsFree: 100, emptyAtSeconds: null }]);
  });

  it('tells when the rows run out, and when one row for each user is enough', () => {
    expect(told([crew()], [table(10)]).tables[0]).toMatchObject({ rowsNeeded: 40, emptyAtSeconds: 23 });
    expect(told([crew()], [table(10, 'user')]).tables[0]).toMatchObject({ rowsNeeded: 5, emptyAtSeconds: null });
  });

  it('says what stands in the way, and what to be warned of', () => {
    expect(told([crew()], [table(0)]).obstacles).toEqual([expect.stringContaining('“Numbers” has no free row left') as string]);
    expect(told([crew()], []).obstacles).toEqual([expect.stringContaining('takes data from a table that is gone') as string]);
    expect(told([crew({ scriptId: 'x' })], []).obstacles[0]).toContain('has no script');
    expect(told([], []).obstacles[0]).toContain('There is no crew yet');
    expect(told([crew({ pacing: { kind: 'start-to-start', seconds: 0.5 } })], [table(100)]).warnings[0]).toContain(
      'The rate will not be reached',
    );
    expect(told([crew()], [table(100)], fed, 0).warnings[0]).toContain('stampede');
  });
});

describe('targets', () => {
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
    expect(resolveTarget('http://old', environment)).toEqual({ origin: 'http://127.0.0.1:4701' });
    expect(resolveTarget('http://other', environment)).toMatchObject({
      refused: expect.stringContaining('is not a target of the environment “E”') as string,
    });
    expect(resolveTarget('http://10.0.0.1', environment)).toMatchObject({
      refused: expect.stringContaining('loopback addresses only') as string,
    });
  });
});
