import { HttpErrorResponse } from '@angular/common/http';
import { signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { NgbModal, type NgbModalRef } from '@ng-bootstrap/ng-bootstrap/modal';
import { provideRouter, Router } from '@angular/router';
import { provideState, provideStore, Store } from '@ngrx/store';
import {
  comparedLanesOptions,
  findingChart,
  plainRules,
  plainSettings,
  type ProjectSettings,
  trendOptions,
  type Baseline,
  type Finding,
  type Run,
  type RunComparison,
  type RunResult,
  type Trend,
} from '@sturdy/core';
import { NEVER, of, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { Chart } from '../shared/chart';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { NoChart } from '../test/no-chart';
import { heard, render } from '../test/render';
import { CompareScreen } from './compare-screen';
import { FindingsCard } from './findings-card';
import { MarksCard } from './marks-card';
import { RunList } from './run-list';
import { RunTableCard } from './run-table';
import { TrendScreen } from './trend-screen';

const withApi = (api: Partial<Record<keyof Api, unknown>>) => {
  TestBed.configureTestingModule({
    providers: [provideRouter([]), provideStore(), provideState(runsFeature), { provide: Api, useValue: api }],
  });
  for (const screen of [FindingsCard, CompareScreen, TrendScreen])
    TestBed.overrideComponent(screen, { remove: { imports: [Chart] }, add: { imports: [NoChart] } });
};
const refused = (detail: string) => throwError(() => new HttpErrorResponse({ status: 503, error: { detail } }));

const finding = (more: Partial<Finding>): Finding => ({
  id: 'f',
  kind: 'turning-point',
  severity: 'grave',
  sentence: 'Service turns at about 17 users.',
  explanation: 'Because of the queue.',
  fromSecond: 75,
  toSecond: 90,
  series: ['h/processor'],
  chart: null,
  ...more,
});
const run = {
  id: 'r4',
  number: 4,
  projectId: 'p',
  state: 'done',
  startedAt: '2026-11-23T10:00:00.000Z',
  verdict: 'missed',
  workload: { name: 'Peak', crews: [{ users: 1, scriptId: 's' }], curve: { kind: 'ramp' } },
} as unknown as Run;
const baseline: Baseline = {
  runId: 'r1',
  number: 1,
  startedAt: '2026-11-22T10:00:00.000Z',
  release: '4.1',
  transactions: [{ name: 'Book', count: 30, meanMs: 100, p95Ms: 150, sureWithinPercent: 4 }],
  iterationBusySeconds: 0.1,
  sentence: 'Every mean is sure to 4.0 %.',
};

describe('findings', () => {
  it('are sentences that can be opened, lead to their moment, and keep what is for completeness aside', () => {
    const chart = { x: 'users', y: 'a second', points: [[1, 2]] as [number, number][], lines: [], mark: null };
    withApi({
      findings: () => of([finding({ chart }), finding({ id: 'l', severity: 'fact', sentence: 'Little’s law agrees.', fromSecond: null })]),
    });
    const { element, component, click, text } = render(FindingsCard, { runId: 'r4' });
    const moments = heard(component.moment);
    expect(text()).toContain('grave: Service turns at about 17 users.');
    expect(text()).not.toContain('Little');
    click('Why');
    expect([text().includes('Because of the queue.'), element.querySelector('app-chart') !== null]).toEqual([true, true]);
    click('1:15');
    expect(moments.map(({ id }) => id)).toEqual(['f']);
    click('1 more for completeness');
    expect(text()).toContain('Little’s law agrees.');
  });

  it('say that they are being made, that nothing stands out, or what went wrong', () => {
    withApi({
      findings: jest.fn().mockReturnValueOnce(NEVER).mockReturnValueOnce(of([])).mockReturnValueOnce(refused('The database is away.')),
    });
    expect(render(FindingsCard, { runId: 'a' }).text()).toContain('being analysed');
    expect(render(FindingsCard, { runId: 'b' }).text()).toContain('Nothing stands out.');
    expect(render(FindingsCard, { runId: 'c' }).element.querySelector('[role=alert]')?.textContent).toBe('The database is away.');
  });

  it('go by rules that can be changed, and are told anew when they were', async () => {
    const findings = jest.fn(() => of([finding({})]));
    const saveProjectSettings = jest.fn((settings: ProjectSettings) => of(settings));
    withApi({ findings, projectSettings: () => of(plainSettings), saveProjectSettings });
    const dialog = { rules: signal(plainRules) };
    const rules = { ...plainRules, leastShare: 0.2 };
    const open = jest.spyOn(TestBed.inject(NgbModal), 'open');
    open.mockReturnValue({ componentInstance: dialog, result: Promise.resolve(rules) } as unknown as NgbModalRef);
    const { click, fixture } = render(FindingsCard, { runId: 'r4' });
    click('Rules…');
    await fixture.whenStable();
    fixture.detectChanges();
    expect(saveProjectSettings).toHaveBeenCalledWith({ ...plainSettings, findingRules: rules });
    expect(findings).toHaveBeenCalledTimes(2);
  });

  it('have a chart with what was measured, what was fitted and the place in question', () => {
    const options = findingChart(
      { x: 'users', y: 'ms', points: [[1, 2]], lines: [{ name: 'fitted', points: [[0, 0], [1, 2]] }], mark: { value: 5, low: 4, high: 6 } }, // prettier-ignore
      (name) => name,
    );
    const series = options['series'] as { name: string; markArea?: { data: unknown } }[];
    expect(series.map(({ name }) => name)).toEqual(['fitted', 'measured']);
    expect(series[1]?.markArea?.data).toEqual([[{ xAxis: 4 }, { xAxis: 6 }]]);
  });
});

describe('marks of a run', () => {
  it('make it a baseline and name its release', () => {
    const markRun = jest.fn((_id: string, marks: object) => of({ ...run, ...marks }));
    withApi({ markRun });
    const { click, enter, component, text } = render(MarksCard, { run, baseline: null });
    const marked = heard(component.marked);
    expect(text()).toContain('No baseline before it');
    click('Make it a baseline');
    enter('Release', '4.2');
    expect(markRun.mock.calls).toEqual([
      ['r4', { baseline: true, release: '' }],
      ['r4', { baseline: false, release: '4.2' }],
    ]);
    expect(marked).toHaveLength(2);
  });

  it('say why a run of several users is none, which zero line it has, and what the server refuses', () => {
    withApi({ markRun: () => refused('The run is live.') });
    const several = { ...run, workload: { ...run.workload, crews: [{ users: 8 }] } };
    const { button, text, enter, element, give } = render(MarksCard, { run: several, baseline });
    expect(button('Make it a baseline').title).toContain('one virtual user');
    expect(text()).toContain('Zero line: run 1 (4.1), one user alone.');
    enter('Release', '9');
    expect(element.querySelector('[role=alert]')?.textContent).toBe('The run is live.');
    give({ run: { ...run, id: 'r1', baseline: true } });
    expect(text()).toContain('Zero line of later runs.');
  });

  it('show each transaction as a multiple of the zero line', () => {
    withApi({});
    const summary = {
      count: 1,
      errors: 0,
      minMs: 1,
      meanMs: 250,
      maxMs: 1,
      deviationMs: 1,
      p50Ms: 1,
      p90Ms: 1,
      p95Ms: 1,
      p99Ms: 1,
      firstByteMs: 1,
      throughput: 1,
      bytesIn: 1,
      bytesOut: 1,
    };
    const rows = ['Book', 'Find'].map((name) => ({ transaction: name, step: null, name, summary }));
    const { element, give } = render(RunTableCard, { result: { run, rows } as unknown as RunResult });
    const heads = () => [...element.querySelectorAll('thead th')].map((head) => head.textContent.trim());
    expect(heads()).not.toContain('× alone');
    give({ baseline });
    const at = heads().indexOf('× alone');
    expect([...element.querySelectorAll('tbody tr')].map((line) => line.children[at]?.textContent.trim())).toEqual(['2.5', '']);
  });
});

const compared = (number: number, release: string | null): RunComparison['runs'][number] => ({
  id: `r${number}`,
  number,
  workload: 'Peak',
  startedAt: '2026-11-23T10:00:00.000Z',
  release,
  verdict: number === 2 ? 'held' : 'missed',
  isTrusted: number === 2,
  fromSecond: 15,
  toSecond: 60,
});
const interval = { value: 20, low: 15, high: 25 };
const comparison: RunComparison = {
  runs: [compared(2, '4.1'), compared(4, '4.2')],
  sentences: ['Run 4 (4.2) against run 2 (4.1): 1 of 3 transactions is slower.', 'Book is slower by 20 ms.'],
  transactions: (['slower', 'none', 'few'] as const).map((verdict, at) => ({
    name: ['Book', 'Find', 'Inspect'][at] ?? '',
    figures: [
      { count: 9, meanMs: 100, p95Ms: 200, errorPercent: 0 },
      at === 2 ? null : { count: 9, meanMs: 120, p95Ms: 240, errorPercent: 0 },
    ],
    differences: [{ mean: verdict === 'few' ? null : interval, p95: null, verdict, sentence: verdict }],
  })),
  criteria: [
    {
      name: 'Book: p95',
      verdicts: [
        {
          criterion: { id: 'k', measure: 'p95', transaction: 'Book', limit: 220 },
          held: true,
          measured: 200,
          marginPercent: 9,
          sentence: 'held',
        },
        null,
      ],
    },
  ],
  failures: [{ step: 'POST /bay', message: 'It answered 422.', counts: [0, 3], state: 'new' }],
  hosts: [{ name: 'Yard: processor', unit: '%', means: [20, null] }],
  changes: [{ about: 'release', run: 4, sentence: 'The release was “4.2” instead of “4.1”.' }],
};

describe('runs side by side', () => {
  it('tell what differs, by how much, and what was played otherwise', () => {
    const compareRuns = jest.fn(() => of(comparison));
    withApi({ compareRuns, lanes: () => of([]) });
    const { text, element } = render(CompareScreen, { runs: 'r2,r4' });
    expect(compareRuns).toHaveBeenCalledWith(['r2', 'r4']);
    expect(text()).toContain('Run 4: The release was “4.2” instead of “4.1”.');
    expect(
      [...element.querySelectorAll('[aria-label^=Differences] tbody tr')].map((line) =>
        line.lastElementChild?.textContent.replace(/\s+/g, ' ').trim(),
      ),
    ).toEqual(['slower 15 to 25 ms', 'no difference shown 15 to 25 ms', 'too few samples']);
    expect(text()).toContain('new POST /bay: It answered 422. 03');
    expect(text()).toContain('Yard: processor, %20.0none');
    expect(element.querySelector('a[href*="r4,r2"], a[href*="r4%2Cr2"]')?.textContent).toContain('Set the others against this one');
  });

  it('ask for two runs, and say what the server refuses', () => {
    withApi({ compareRuns: () => refused('There is no such run.'), lanes: () => of([]) });
    expect(render(CompareScreen, { runs: 'r2' }).text()).toContain('Choose two to six runs');
    expect(render(CompareScreen, { runs: 'r2,r9' }).element.querySelector('[role=alert]')?.textContent).toBe('There is no such run.');
  });

  it('are the crews of one run where that is wanted, by their names', () => {
    const crews = comparison.runs.map((shown, at) => ({ ...shown, number: 4, part: ['Clerks', 'Depot, over a line of 80 ms'][at] ?? '' }));
    const compareCrews = jest.fn(() => of({ ...comparison, runs: crews }));
    withApi({ compareCrews });
    const { text, element } = render(CompareScreen, { runs: 'r4', by: 'crews' });
    expect(compareCrews).toHaveBeenCalledWith('r4');
    expect(text()).toContain('Crews side by side');
    expect(text()).toContain('Mean, Depot, over a line of 80 ms');
    expect([element.querySelector('app-chart'), text().includes('Set the others against')]).toEqual([null, false]);
  });

  it('lie over each other aligned at the begin of the hold', () => {
    const lanes = comparison.runs.map((shown) => ({ run: shown, points: [{ second: 15, p95Ms: 9, perSecond: 1, users: 2 }] as never[] }));
    const { series } = comparedLanesOptions(lanes, (name) => name) as { series: { name: string; data: unknown[] }[] };
    expect(series.map(({ name, data }) => [name, data[0]]).slice(0, 2)).toEqual([
      ['run 2', [0, 9]],
      ['run 4', [0, 9]],
    ]);
  });

  it('are chosen in the list, the oldest first', () => {
    withApi({});
    const { element, button, click, fixture } = render(RunList);
    TestBed.inject(Store).dispatch(runsActions.listLoaded({ list: [5, 4, 2].map((number) => ({ ...run, id: `r${number}`, number })) }));
    fixture.detectChanges();
    const navigate = jest.spyOn(TestBed.inject(Router), 'navigate').mockResolvedValue(true);
    expect(button('Compare').disabled).toBe(true);
    for (const tick of [...element.querySelectorAll<HTMLInputElement>('input[type=checkbox]')].slice(1)) tick.click();
    fixture.detectChanges();
    click('Compare 2 runs');
    expect(navigate).toHaveBeenCalledWith(['/runs/compare'], { queryParams: { runs: 'r2,r4' } });
  });
});

describe('the trend', () => {
  const trend: Trend = {
    runs: comparison.runs,
    transactions: [
      {
        name: 'Book',
        points: [interval, { value: 90, low: 80, high: 100 }],
        firstWorse: 1,
        sentence: 'Book: run 4 is the first that is worse.',
      },
    ],
  };

  it('leads from the first run that is worse to a comparison with the one before', () => {
    withApi({ trend: () => of(trend) });
    const { text, element } = render(TrendScreen, { id: 'w' });
    expect(text()).toContain('Book: run 4 is the first that is worse.');
    expect(decodeURIComponent(element.querySelector('a[href*=compare]')?.getAttribute('href') ?? '')).toBe('/runs/compare?runs=r2,r4');
  });

  it('says that it needs two runs, and what the server refuses', () => {
    withApi({
      trend: jest
        .fn()
        .mockReturnValueOnce(of({ runs: [compared(2, null)], transactions: [] }))
        .mockReturnValueOnce(refused('Gone.')),
    });
    expect(render(TrendScreen, { id: 'w' }).text()).toContain('A trend needs two runs');
    expect(render(TrendScreen, { id: 'w' }).element.querySelector('[role=alert]')?.textContent).toBe('Gone.');
  });

  it('draws p95 with its band, with room above the highest', () => {
    const [shown] = trend.transactions;
    if (!shown) throw new Error('no transaction');
    const { yAxis, xAxis, series } = trendOptions(trend, shown, (name) => name) as {
      yAxis: { max: number };
      xAxis: { data: string[] };
      series: { data: unknown[] }[];
    };
    expect(yAxis.max).toBeGreaterThanOrEqual(100);
    expect(xAxis.data).toEqual(['run 2\n4.1', 'run 4\n4.2']);
    expect(series[0]?.data).toEqual([
      [0, 15, 25],
      [1, 80, 100],
    ]);
  });
});
