import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideState, provideStore, Store } from '@ngrx/store';
import {
  plainSettings,
  plainTemplate,
  shortTemplate,
  type ListedReport,
  type ProjectSettings,
  type ReportDocument,
  type ReportProgress,
  type ReportTemplate,
  type Run,
} from '@sturdy/core';
import { of, Subject, throwError, type Observable } from 'rxjs';
import { Api } from '../shared/api';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { render } from '../test/render';
import { ReportScreen } from './report-screen';

const document: ReportDocument = {
  title: 'Peak, run 4',
  subtitle: '',
  facts: [],
  logo: null,
  blocks: [{ kind: 'text', text: 'All 3 criteria held.', tone: 'good' }],
};
const listed: ListedReport = {
  id: 'x1',
  projectId: 'p',
  runId: 'r4',
  run: 4,
  issuedAt: '2026-11-30T10:00:00Z',
  by: 'Per Lund',
  title: 'Peak, run 4',
};
const run = (id: string, number: number, state: Run['state'] = 'done') =>
  ({ id, number, state, workload: { name: 'Peak' } }) as unknown as Run;

/** The screen with what it asks of the server. */
function screen(
  report = jest.fn((_id: string, _template: ReportTemplate, _against: readonly string[]): Observable<ReportDocument> => of(document)),
) {
  jest.useFakeTimers();
  const progress = new Subject<ReportProgress>();
  const api = {
    runs: () => of([]),
    report,
    reportProgress: () => progress,
    reports: () => of([listed]),
    projectSettings: () => of(plainSettings),
    saveProjectSettings: jest.fn((settings: ProjectSettings) => of(settings)),
    issueReport: jest.fn(() => of({ ...listed, id: 'x2' })),
    deleteReport: jest.fn(() => of({})),
  };
  TestBed.configureTestingModule({
    providers: [provideRouter([]), provideStore(), provideState(runsFeature), { provide: Api, useValue: api }],
  });
  const rendered = render(ReportScreen, { id: 'r4' });
  TestBed.inject(Store).dispatch(runsActions.listLoaded({ list: [run('r5', 5, 'running'), run('r4', 4), run('r2', 2)] }));
  /** Waits as long as somebody who has stopped typing. */
  const settle = () => {
    rendered.fixture.detectChanges();
    jest.advanceTimersByTime(600);
    rendered.fixture.detectChanges();
  };
  settle();
  /** What the report was last made from. */
  const last = () => {
    settle();
    const call = api.report.mock.calls.at(-1);
    return { template: call?.[1], against: call?.[2] };
  };
  return { ...rendered, api, progress, settle, last };
}
afterEach(() => {
  jest.useRealTimers();
});
const kinds = (template: ReportTemplate | undefined) => template?.sections.map(({ kind }) => kind);

describe('the report of a run', () => {
  it('shows how it looks, in a frame that may run nothing', () => {
    const { element, api } = screen();
    const frame = element.querySelector('iframe');
    expect(frame?.getAttribute('sandbox')).toBe('');
    expect(frame?.srcdoc).toContain('All 3 criteria held.');
    expect(api.report).toHaveBeenCalledWith('r4', plainTemplate, []);
  });

  it('is put together: sections left out, moved, added with own words; another template; another run', () => {
    const { click, enter, last, element } = screen();
    enter('Template', shortTemplate.id);
    expect(kinds(last().template)).toEqual(['verdict', 'findings', 'trust', 'comparison']);
    click('Leave out: What the run shows');
    click('Down: Verdict');
    enter('Add a section', 'text');
    enter('Words', 'Next: ~{p95 Book}.');
    enter('Heading', 'Our view');
    const { template } = last();
    expect(kinds(template)).toEqual(['trust', 'verdict', 'comparison', 'text']);
    expect(template?.sections.at(-1)).toEqual({ kind: 'text', title: 'Our view', text: 'Next: ~{p95 Book}.' });
    expect([...element.querySelectorAll('select')][1]?.textContent).not.toContain('run 5');
    enter('Set it against', 'r2');
    expect(last().against).toEqual(['r2']);
  });

  it('can be broken off while it is made, and made again', () => {
    const making = new Subject<ReportDocument>();
    const { click, settle, text, element, progress } = screen(
      jest.fn((_id: string, _template: ReportTemplate, _against: readonly string[]): Observable<ReportDocument> => making),
    );
    expect(text()).toContain('The report is being made');
    progress.next({ part: 'Analysing the figures', done: 2, total: 5 });
    settle();
    expect(text()).toContain('Analysing the figures, part 3 of 5…');
    const bar = element.querySelector('progress');
    expect([bar?.value, bar?.max]).toEqual([2, 5]);
    click('Cancel');
    settle();
    expect([making.observed, progress.observed, text().includes('The making was canceled.')]).toEqual([false, false, true]);
    click('Make it again');
    settle();
    making.next(document);
    settle();
    expect(element.querySelector('iframe')).not.toBeNull();
  });

  it('is kept as a template of the project under a name', () => {
    const { button, enter, click, api } = screen();
    expect(button('Keep it').disabled).toBe(true);
    enter('Keep as a template', 'For business');
    click('Keep it');
    expect(api.saveProjectSettings.mock.calls).toEqual([
      [expect.objectContaining({ reportTemplates: [{ ...plainTemplate, id: 't1', name: 'For business' }] })],
    ]);
  });

  it('is issued, can be had in every format, and is deleted', () => {
    const { click, element, api, fixture } = screen();
    click('Issue it');
    fixture.detectChanges();
    const links = [...element.querySelectorAll('.issued a')].map((link) => link.getAttribute('href'));
    expect(links.slice(0, 2)).toEqual(['/api/reports/x2/report.pdf', '/api/reports/x2/report.docx']);
    expect(links).toHaveLength(12);
    click('Delete Peak, run 4');
    expect(api.deleteReport).toHaveBeenCalledWith('x2');
    expect(element.querySelectorAll('.issued')).toHaveLength(1);
  });

  it('says what the server refuses', () => {
    const { element } = screen(
      jest.fn((_id: string, _template: ReportTemplate, _against: readonly string[]): Observable<ReportDocument> =>
        throwError(() => new HttpErrorResponse({ status: 422, error: { detail: 'Choose other runs.' } })),
      ),
    );
    expect(element.querySelector('[role=alert]')?.textContent).toBe('Choose other runs.');
  });
});
