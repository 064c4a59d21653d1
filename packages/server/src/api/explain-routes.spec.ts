import {
  emptyBrief,
  htmlOf,
  plainColumns,
  plainTemplate,
  type Finding,
  type IssuedReport,
  type ListedReport,
  type ReportDocument,
  type ReportProgress,
  type Run,
  type RunComparison,
  type Trend,
} from '@sturdy/core';
import request from 'supertest';
import { simulate, type ClosedSystem, type SimulatedRun } from '../../../core/src/test/closed-system.js';
import { tasks } from '../compute/tasks.js';
import { ServerLog } from '../log/server-log.js';
import { createApp } from './app.js';
import type { Services } from './services.js';

const steady: ClosedSystem = {
  workers: 2,
  serviceSeconds: 0.04,
  thinkSeconds: 0.3,
  users: 8,
  curve: { kind: 'ramp', together: 1, rampUpSeconds: 5, holdSeconds: 120, rampDownSeconds: 0, atEnd: 'iteration' },
  seed: 'a',
};
/** Runs of a project by their ids: one user, eight, and eight against a release that is slower; one of another project. */
const runs = new Map<string, SimulatedRun>();
const keep = (id: string, number: number, system: Partial<ClosedSystem>, more: Partial<Run> = {}) => {
  const simulated = simulate({ ...steady, ...system });
  const startedAt = `2026-11-2${number}T10:00:00.000Z`;
  runs.set(id, { ...simulated, run: { ...simulated.run, id, number, startedAt, ...more } });
};
keep('alone', 1, { users: 1 });
keep('before', 2, {});
keep('after', 3, { seed: 'b', serviceSeconds: 0.06 });
keep('data', 5, { seed: 'd' }, { projectId: 'p3' });
keep('elsewhere', 4, {}, { projectId: 'p2' });
// Of the rows that were played, every fifth failed: those of dock D4.
runs.get('data')?.frames.forEach((frame, second) => {
  const rows = [1, 2, 3, 4, 6, 7, 8, 9].map((row) => row + 10 * (second % 4));
  const failed = [5 + 10 * (second % 4)];
  Object.assign(frame, {
    playedRows: [{ crew: 'c', table: 'd', passed: rows, passedMs: rows.map((row) => 200 + ((7 * row + second) % 50)), failed }],
  });
});

/** What was told to those who listen: topic, kind and data. */
const heard: unknown[][] = [];
const saved: Run[] = [];
const issued: IssuedReport[] = [];
const newest = () => [...runs.values()].map(({ run }) => run).sort((left, right) => right.number - left.number);
const services = {
  store: {
    run: (id: string) => Promise.resolve(runs.get(id)?.run ?? null),
    runs: (projectId: string) => Promise.resolve(newest().filter((run) => run.projectId === projectId)),
    frames: (id: string) => Promise.resolve(runs.get(id)?.frames ?? []),
    hostPoints: () => Promise.resolve([]),
    tables: () => Promise.resolve([{ id: 'd', name: 'Bookings', columns: plainColumns(['number', 'dock']) }]),
    rowsAt: (_: string, rows: number[]) => Promise.resolve(rows.map((row) => ({ row, values: [`N${row}`, `D${(row + 4) % 5}`] }))),
    scripts: () => Promise.resolve(runs.get('before')?.scripts ?? []),
    projectSettings: () => Promise.resolve({ failureSigns: [], criteria: [], watches: [] }),
    brief: () => Promise.resolve(emptyBrief),
    workload: (id: string) => Promise.resolve(id === 'w' ? runs.get('before')?.run.workload : null),
    reports: (projectId: string) =>
      Promise.resolve(
        issued.filter((report) => report.projectId === projectId).map(({ document, ...report }) => ({ ...report, title: document.title })),
      ),
    issuedReport: (id: string) => Promise.resolve(issued.find((report) => report.id === id) ?? null),
    saveReport: (report: IssuedReport) => {
      issued.push(report);
      return Promise.resolve();
    },
    deleteReport: (id: string) => {
      issued.splice(
        issued.findIndex((report) => report.id === id),
        1,
      );
      return Promise.resolve();
    },
    saveRun: (run: Run) => {
      saved.push(run);
      const known = runs.get(run.id);
      if (known) runs.set(run.id, { ...known, run });
      return Promise.resolve();
    },
  },
  projects: { need: (id: string) => Promise.resolve({ id, name: id, state: 'active' }) },
  compute: tasks,
  live: { tell: (...told: unknown[]) => heard.push(told) },
  recorder: { current: null },
  conductor: { current: null },
  samples: { path: (id: string) => `/nowhere/${id}` },
  log: new ServerLog(null),
} as unknown as Services;
const app = createApp(services, '/nowhere');
const body = async <T>(path: string): Promise<T> => (await request(app).get(`/api${path}`).set('Host', '127.0.0.1').expect(200)).body as T;
const mark = (id: string, marks: object) => request(app).put(`/api/runs/${id}/marks`).set('Host', '127.0.0.1').send(marks);

describe('marks', () => {
  it('make a run with one user the zero line of later ones, and are taken off again', async () => {
    expect(await body('/runs/after/baseline')).toBeNull();
    await mark('alone', { baseline: true, release: '4.1' }).expect(200);
    expect(saved.at(-1)).toMatchObject({ id: 'alone', baseline: true, release: '4.1' });
    expect(await body('/runs/after/baseline')).toMatchObject({ runId: 'alone', release: '4.1', transactions: [{ name: 'Book' }] });
    await mark('alone', { baseline: false, release: '' }).expect(200);
    expect(Object.keys(saved.at(-1) ?? {})).not.toContain('baseline');
    expect(await body('/runs/after/baseline')).toBeNull();
  });

  it('are refused for a run of several users, with the reason', async () => {
    const answer = await mark('before', { baseline: true, release: '' }).expect(422);
    expect(answer.body).toMatchObject({ title: 'This run is no baseline', detail: expect.stringContaining('had 8') as string });
    await mark('nowhere', { baseline: false, release: '' }).expect(404);
  });
});

it('findings of a run are told with its rules, the same each time', async () => {
  const findings = await body<Finding[]>('/runs/before/findings');
  expect(findings.map(({ kind }) => kind)).toContain('littles-law');
  expect(findings.map(({ kind }) => kind)).toContain('missing');
  expect(await body('/runs/before/findings')).toEqual(findings);
});

it('findings name the value of data with which iterations fail', async () => {
  const sentences = (await body<Finding[]>('/runs/data/findings')).map(({ sentence }) => sentence);
  expect(sentences).toContainEqual(
    expect.stringMatching(
      /^Iterations with “dock” = “D4” of “Bookings” fail more often than chance explains: (\d+) of \1 iterations \(100\.0 %\)/,
    ),
  );
  expect((await body<Finding[]>('/runs/before/findings')).filter(({ id }) => id.startsWith('rows'))).toEqual([]);
});

describe('a comparison', () => {
  it('sets runs of one project against the first that is named', async () => {
    const { transactions, runs: compared } = await body<RunComparison>('/projects/p/compare?runs=before,after');
    expect(compared.map(({ number }) => number)).toEqual([2, 3]);
    expect(transactions[0]?.differences[0]?.verdict).toBe('slower');
  });

  it.each([
    ['one run', 'before', 400],
    ['the same run twice', 'before,before', 400],
    ['seven', '1,2,3,4,5,6,7', 400],
    ['a run that is not there', 'before,nowhere', 404],
    ['a run of another project', 'before,elsewhere', 404],
  ])('of %s is refused', async (_, ids, status) => {
    await request(app).get(`/api/projects/p/compare?runs=${ids}`).set('Host', '127.0.0.1').expect(status);
  });
});

it('crews of a run are compared where it has several', async () => {
  const refused = await request(app).get('/api/runs/before/crews-compared').set('Host', '127.0.0.1').expect(422);
  expect((refused.body as { detail: string }).detail).toBe('This run has one crew, so there is nothing to set it against.');
  const known = runs.get('before');
  const [crew] = known?.run.workload.crews ?? [];
  if (!known || !crew) throw new Error('The run has no crew.');
  const crews = [crew, { ...crew, id: 'idle', name: 'Idle' }];
  runs.set('two', { ...known, run: { ...known.run, id: 'two', workload: { ...known.run.workload, crews } } });
  const compared = await body<RunComparison>('/runs/two/crews-compared');
  runs.delete('two');
  expect(compared.runs.map(({ part }) => part)).toEqual([crew.name, 'Idle']);
  // The second one played nothing.
  expect([compared.transactions, compared.sentences]).toEqual([
    [],
    [`Crew Idle against crew ${crew.name}: they play no transaction in common.`],
  ]);
});

it('a trend goes over the runs of a workload, the oldest first', async () => {
  const trend = await body<Trend>('/workloads/w/trend');
  expect(trend.runs.map(({ number }) => number)).toEqual([1, 2, 3]);
  expect(trend.transactions.map(({ name }) => name)).toEqual(['Book']);
  await request(app).get('/api/workloads/x/trend').set('Host', '127.0.0.1').expect(404);
});

describe('a report', () => {
  const post = (path: string, wish: object) => request(app).post(`/api/runs/${path}`).set('Host', '127.0.0.1').send(wish);

  it('is looked at with its charts, against another run, and nothing is kept', async () => {
    const answer = await post('after/report', { template: plainTemplate, against: ['before'] }).expect(200);
    const { blocks, title } = answer.body as ReportDocument;
    expect(title).toBe('Simulated, run 3');
    // Whoever waits hears of each part.
    expect(heard.map(([topic, kind]) => `${String(topic)} ${String(kind)}`)).toEqual(heard.map(() => 'after reporting'));
    const parts = heard.map(([, , progress]) => progress as ReportProgress);
    expect(parts.map(({ part }) => part).slice(0, 3)).toEqual(['Reading run 3', 'Reading run 2', 'Drawing the charts']);
    expect(parts.map(({ done }) => done)).toEqual(parts.map((_, at) => at));
    expect(parts.at(-1)).toEqual({ part: 'Laying out the pages', done: parts.length - 1, total: parts.length });
    const figures = blocks.flatMap((block) => (block.kind === 'figure' ? [block.svg] : []));
    expect(figures.some((svg) => svg.startsWith('<svg') && svg.includes('Virtual users'))).toBe(true);
    expect(htmlOf(answer.body as ReportDocument)).toContain('Run 3 against run 2');
    expect(issued).toEqual([]);
  });

  it('that is issued stays as it was, whatever is changed later, in every format; and is deleted', async () => {
    const answer = await post('after/reports', { template: plainTemplate }).expect(200);
    const { id } = answer.body as ListedReport;
    await mark('after', { baseline: false, release: 'release nine' }).expect(200);
    expect(await body('/projects/p/reports')).toMatchObject([{ id, run: 3, title: 'Simulated, run 3' }]);
    const html = await request(app).get(`/api/reports/${id}/report.html`).set('Host', '127.0.0.1').expect(200);
    expect(html.text).not.toContain('release nine');
    for (const ending of ['pdf', 'docx', 'xlsx', 'md', 'csv'])
      await request(app).get(`/api/reports/${id}/report.${ending}`).set('Host', '127.0.0.1').expect(200);
    await request(app).delete(`/api/reports/${id}`).set('Host', '127.0.0.1').expect(200);
    await request(app).get(`/api/reports/${id}/report.html`).set('Host', '127.0.0.1').expect(404);
  });

  it.each([
    ['a run of another project', 'after/report', { against: ['elsewhere'] }, 422],
    ['itself', 'after/report', { against: ['after'] }, 422],
    ['a run that is not there', 'nowhere/report', {}, 404],
  ])('against %s is refused', async (_, path, more, status) => {
    await post(path, { template: plainTemplate, ...more }).expect(status);
  });
});
