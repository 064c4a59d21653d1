import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import type { Failure, Run, RunEvent, RunResult, Script, UserLogEntry } from '@sturdy/core';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { heard, render } from '../test/render';
import { CapturedCard } from './captured-card';
import { RunTableCard } from './run-table';
import { SamplesCard } from './samples-card';
import { SteerCard } from './steer-card';

const withApi = (api: Partial<Record<keyof Api, unknown>>) => {
  TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: api }] });
};
const refused = (detail: string) => throwError(() => new HttpErrorResponse({ status: 503, error: { detail } }));

const crews = [
  { id: 'c1', name: 'Intake', scriptId: 's', users: 20 },
  { id: 'c2', name: 'Desk', scriptId: 's2', users: 5 },
];
const run = { id: 'r1', workload: { crews, curve: { kind: 'ramp' } }, events: [] as RunEvent[] } as unknown as Run;
const summary = {
  count: 12,
  errors: 1,
  minMs: 3,
  meanMs: 1234,
  maxMs: 9,
  deviationMs: 1.26,
  p50Ms: 1,
  p90Ms: 1,
  p95Ms: 1,
  p99Ms: 1,
  firstByteMs: 1,
  throughput: 0.456,
  bytesIn: 12_345,
  bytesOut: 1,
};
const row = (transaction: string, step: string | null) => ({ transaction, step, name: step ?? transaction, summary });
const result = { run, rows: [row('Book', null), row('Book', 'POST /book')], failures: [] as Failure[] } as unknown as RunResult;
const cells = (element: HTMLElement) =>
  [...element.querySelectorAll('tbody tr')].map((line) => [...line.children].map((cell) => cell.textContent.trim()));

describe('the table of a run', () => {
  it('shows transactions, and their steps where they are wanted', () => {
    withApi({});
    const { element, fixture } = render(RunTableCard, { result });
    expect(cells(element).map(([name]) => name)).toEqual(['Book']);
    expect(cells(element)[0]).toEqual(['Book', '12', '1', '3', '1,234', '9', '1.3', '1', '1', '1', '1', '1', '0.46', '12', '0']);
    element.querySelector<HTMLInputElement>('input[type=checkbox]')?.click();
    fixture.detectChanges();
    expect(cells(element).map(([name]) => name)).toEqual(['Book', 'POST /book']);
  });

  it('is taken apart by crew, and says what could not be read', () => {
    const runTable = jest
      .fn()
      .mockReturnValueOnce(
        of([
          { group: 'Intake', rows: [row('Book', null)] },
          { group: 'Desk', rows: [] },
        ]),
      )
      .mockReturnValueOnce(refused('The database is away.'));
    withApi({ runTable });
    const { element, click } = render(RunTableCard, { result });
    click('by crew');
    expect(cells(element).map(([name]) => name)).toEqual(['Intake', 'Book', 'Desk', 'No transaction ended here.']);
    click('by phase');
    expect(element.querySelector('[role=alert]')?.textContent).toBe('The database is away.');
    expect(runTable.mock.calls).toEqual([
      ['r1', 'crew'],
      ['r1', 'phase'],
    ]);
  });

  it('drops an answer that comes after something else was wanted', () => {
    const late = new Subject<unknown>();
    withApi({ runTable: () => late });
    const { element, click } = render(RunTableCard, { result });
    click('by crew');
    click('together');
    expect(late.observed).toBe(false);
    expect(cells(element).map(([name]) => name)).toEqual(['Book']);
  });
});

describe('steering a run', () => {
  it('shows the users that each crew has after all changes so far', () => {
    const events = [{ crew: 'c1', users: 30 }, { crew: 'c1', users: 25 }, { kind: 'note' }] as unknown as RunEvent[];
    const { field, enter, component } = render(SteerCard, { run: { ...run, events } });
    expect([field('Intake').value, field('Desk').value]).toEqual(['25', '5']);
    const changes = heard(component.users);
    enter('Desk', '8');
    expect(changes).toEqual([{ crew: 'c2', users: 8 }]);
  });

  it('changes no users where iterations arrive at a rate', () => {
    const arriving = { ...run, workload: { ...run.workload, curve: { kind: 'arrivals' } } };
    expect(render(SteerCard, { run: arriving }).text()).not.toContain('Users of the crews');
  });

  it('puts a note once something is written, and empties the field', () => {
    const { component, element } = render(SteerCard, { run });
    const notes = heard(component.note);
    const [form, input] = [element.querySelector('form'), element.querySelector<HTMLInputElement>('form input')];
    const submit = () => form?.dispatchEvent(new Event('submit', { cancelable: true }));
    submit();
    if (input) input.value = ' cache emptied ';
    submit();
    expect(notes).toEqual(['cache emptied']);
    expect(input?.value).toBe('');
  });
});

describe('samples of a run', () => {
  const script = {
    id: 's',
    transactions: [
      { id: 't1', name: 'Sign in', steps: [{ kind: 'request', id: 'a', name: 'GET /in' }] },
      { id: 't2', name: 'Book', steps: [{ kind: 'request', id: 'b', name: 'POST /book' }] },
    ],
  } as unknown as Script;
  const sample = {
    atMs: 61_234,
    user: 7,
    iteration: 2,
    transaction: 'Book',
    step: 'b',
    status: 409,
    durationMs: 12.34,
    firstByteMs: 10,
    bytesIn: 900,
    bytesOut: 80,
    failure: 'status-unexpected:409',
  };
  const page = {
    total: 250,
    failures: 9,
    meanMs: 10,
    p50Ms: 9,
    p95Ms: 20,
    maxMs: 31,
    rows: [sample],
    kept: 500,
    measured: 1000,
    keepEvery: 2,
  };
  function card(samples: jest.Mock = jest.fn(() => of(page)), more: Partial<RunResult> = {}) {
    const sampledUsers = jest.fn(() => of([{ user: 7, crew: 'c1', iterations: 3, samples: 9, failures: 2, meanMs: 5, maxMs: 8 }]));
    withApi({ samples, sampledUsers });
    return {
      ...render(SamplesCard, { result: { ...result, ...more }, scripts: [script, { ...script, id: 'elsewhere' }] }),
      samples,
      sampledUsers,
    };
  }
  const lastQuery = (mock: jest.Mock) => (mock.mock.lastCall as [string, unknown])[1];

  it('says how many of them were kept, and shows each with its moment and in words', () => {
    const { text, element } = card();
    expect(text()).toContain('500 of 1,000 samples kept: one iteration in 2, complete; the figures above count all of them');
    expect(cells(element)[0]?.slice(0, 7)).toEqual(['1:01.234', '7', '2', 'Book', 'POST /book', '409', '12.3']);
  });

  it('says so where none were kept, and why they cannot be had', () => {
    expect(card(jest.fn(() => of(null))).text()).toContain('No single samples were kept of this run.');
  });

  it('says why they cannot be had', () => {
    expect(card(jest.fn(() => refused('The samples are gone.'))).element.querySelector('[role=alert]')?.textContent).toBe(
      'The samples are gone.',
    );
  });

  it('are narrowed on the server; a change of the transaction drops the step, and any change begins with the first page', () => {
    const { samples, enter, click, component } = card();
    expect(lastQuery(samples)).toEqual({ order: 'time', page: 0 });
    click('After');
    expect(lastQuery(samples)).toEqual({ order: 'time', page: 1 });
    enter('Step', 'b');
    enter('Transaction', 'Book');
    enter('At least, ms', '500');
    expect(lastQuery(samples)).toEqual({ order: 'time', page: 0, transaction: 'Book', atLeastMs: 500 });
    enter('At least, ms', '0');
    expect(lastQuery(samples)).toEqual({ order: 'time', page: 0, transaction: 'Book' });
    expect(component.shownSteps().map(({ id }) => id)).toEqual(['b']);
    click('Show all again');
    expect(lastQuery(samples)).toEqual({ order: 'time', page: 0 });
  });

  it('are narrowed by what went wrong: all failures, or one kind of them', () => {
    const failures = [{ code: 'status-unexpected', subject: '409' } as Failure];
    const { samples, enter, component } = card(undefined, { failures });
    const [kind = ''] = component.kinds();
    enter('Outcome', 'yes');
    expect(lastQuery(samples)).toMatchObject({ failed: 'yes' });
    enter('Outcome', kind);
    expect(lastQuery(samples)).toEqual({ order: 'time', page: 0, failure: kind });
  });

  it('turn pages from the first to the last', () => {
    const { button, click } = card();
    expect(button('Before').getAttribute('aria-description')).toBe('These are the first requests.');
    click('After');
    click('After');
    expect(button('After').getAttribute('aria-description')).toBe('These are the last requests.');
  });

  it('are counted by user, and lead to those of one', () => {
    const { click, samples, sampledUsers, element } = card();
    expect(sampledUsers).not.toHaveBeenCalled();
    click('by user');
    expect(cells(element)[0]?.slice(0, 5)).toEqual(['7', 'Intake', '3', '9', '2']);
    click('Its samples');
    expect(lastQuery(samples)).toMatchObject({ user: 7 });
    expect(element.querySelector('table')?.getAttribute('aria-label')).toBe('Requests');
  });
});

describe('what was captured in full', () => {
  const entry = (more: Partial<UserLogEntry> = {}): UserLogEntry => ({
    user: 3,
    atMs: 75_000,
    iteration: 2,
    transaction: 'Book',
    step: 'b',
    status: 200,
    durationMs: 12,
    failure: null,
    exchange: {
      user: 3,
      requestText: 'lot=17',
      responseText: 'booked',
      captured: {
        kind: 'request',
        step: 'b',
        startedAtMs: 0,
        durationMs: 12,
        request: { method: 'POST', url: 'http://127.0.0.1/book', headers: [], body: null },
        response: { status: 200, headers: [], body: null } as never,
        failure: null,
        timings: { blocked: 0, dns: -1, connect: -1, tls: -1, send: 0, wait: 12, receive: 0 },
      },
    },
    ...more,
  });

  it('is listed by when and who, and opened one at a time', async () => {
    withApi({ captured: () => of([entry(), entry({ user: 4, failure: 'It answered 409.' })]) });
    const { text, fixture, element } = render(CapturedCard, { runId: 'r1' });
    await fixture.whenStable();
    fixture.detectChanges();
    expect(text()).toContain('1:15 · user 3 · iteration 2');
    expect(text()).toContain('It answered 409.');
    const [first, second] = element.querySelectorAll('button');
    first?.click();
    fixture.detectChanges();
    second?.click();
    fixture.detectChanges();
    expect(element.querySelectorAll('app-exchange-view')).toHaveLength(1);
    expect(text()).toContain('lot=17');
    second?.click();
    fixture.detectChanges();
    expect(element.querySelectorAll('app-exchange-view')).toHaveLength(0);
  });

  it('takes no room where nobody was captured, or nothing can be read', async () => {
    withApi({ captured: () => refused('away') });
    const { fixture, text } = render(CapturedCard, { runId: 'r1' });
    await fixture.whenStable();
    fixture.detectChanges();
    expect(text()).toBe('');
  });
});
