import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { usualTidy, type BesideRow, type Exchange, type Survey, type Take } from '@sturdy/core';
import { splitHits } from './body-view';
import { BesideView } from './beside-view';
import { MarkCard } from './mark-card';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { freeName } from './recording-room';
import { ProposedTransactions } from './proposed-transactions';
import { TidyPanel } from './tidy-panel';
import { TimingBar } from './timing-bar';
import { jsonTree, TreeView, xmlTree } from './tree-view';

function render<T>(component: new () => T, inputs: Record<string, unknown>) {
  TestBed.configureTestingModule({ providers: [provideRouter([])] });
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  fixture.detectChanges();
  const element = fixture.nativeElement as HTMLElement;
  const click = (text: string) => {
    [...element.querySelectorAll('button')].find((button) => button.textContent.includes(text))?.click();
    fixture.detectChanges();
  };
  return { fixture, element, click };
}

const exchange = (n: number, url = `http://127.0.0.1:1/${n}`): Exchange => ({
  kind: 'request',
  n,
  startedAtMs: n * 10,
  durationMs: 7,
  method: 'GET',
  url,
  httpVersion: 'HTTP/1.1',
  requestHeaders: [],
  requestBody: null,
  response: { status: 200, statusText: 'OK', httpVersion: 'HTTP/1.1', headers: [], body: null },
  failure: null,
  timings: { blocked: 1, dns: -1, connect: 2, tls: -1, send: 0, wait: 3, receive: 1 },
  harEntry: null,
});
const take: Take = {
  id: 't',
  projectId: 'p',
  name: 'Take 1',
  startedAt: '2026-11-23T10:00:00.000Z',
  state: 'done',
  marks: [],
  harLog: null,
};
const tidy = usualTidy;

describe('documents as trees', () => {
  it('show JSON and XML by their members, and mask secrets until asked for', () => {
    const nodes = jsonTree('', { user: 'kim', token: 'abc', list: [1, null] }).children;
    const { element, fixture } = render(TreeView, { nodes });
    expect(element.textContent).toContain('"kim"');
    expect(element.textContent).not.toContain('abc');
    fixture.componentRef.setInput('secrets', true);
    fixture.detectChanges();
    expect(element.textContent).toContain('"abc"');
    const xml = xmlTree(new DOMParser().parseFromString('<release id="7"><bay>D-1</bay></release>', 'application/xml').documentElement);
    expect(xml.children).toEqual([
      { label: '@id', value: '7', children: [] },
      { label: 'bay', value: 'D-1', children: [] },
    ]);
  });

  it('a text is cut at each hit, whatever its case', () => {
    expect(splitHits('a Tulip, a tulip', 'TULIP')).toEqual([
      { text: 'a ', hit: false },
      { text: 'Tulip', hit: true },
      { text: ', a ', hit: false },
      { text: 'tulip', hit: true },
    ]);
  });
});

it('the bar of timings has a part for each phase that was measured', () => {
  const { element } = render(TimingBar, { exchange: exchange(1) });
  expect(element.querySelectorAll('.bar i').length).toBe(4);
  expect(element.textContent).toContain('not measured');
});

describe('tidying', () => {
  const survey: Survey = {
    hosts: [{ origin: 'http://a', requests: 3, bytes: 10, failed: 1, role: 'application', reason: 'One page comes from it.' }],
    staticFiles: { requests: 0, bytes: 0 },
    telemetry: { requests: 0, names: [] },
    polls: [{ key: 'GET http://a/news', name: 'GET /news', exchanges: [2, 3, 4, 5], everyMs: 2000, sameAnswer: false }],
    redirects: { chains: 0, requests: 0 },
    sideBySide: { groups: 0, requests: 0 },
    pauses: { count: 0, longestMs: 0 },
    doubled: [],
    transactions: [],
    findings: [{ kind: 'failed', sentence: 'one request failed', exchanges: [6], action: { label: 'Leave it out', drop: [6] } }],
    proposal: tidy,
    played: 3,
  };

  it('changes only what is touched, and takes it back', () => {
    const { fixture, element, click } = render(TidyPanel, { survey, tidy });
    const now = () => fixture.componentInstance.tidy();
    click('Leave it out');
    expect(now().dropped).toEqual([6]);
    click('Keep after all');
    expect(now()).toEqual(tidy);
    element.querySelector<HTMLInputElement>('input[type=checkbox]')?.click();
    expect(now().leftOut).toEqual(['http://a']);
    fixture.componentInstance.setPoll('GET http://a/news', 'repeat');
    expect(now().polls).toEqual({ 'GET http://a/news': 'repeat' });
  });

  it('renames proposed transactions, joins them, and keeps a name where the field is emptied', () => {
    const proposed = [
      { n: 1, name: 'Sign in' },
      { n: 5, name: 'Create' },
      { n: 9, name: 'Create confirm' },
    ];
    const { fixture, click, element } = render(ProposedTransactions, { starts: proposed });
    const component = fixture.componentInstance;
    component.rename(5, ' Make a crate ');
    component.rename(1, '  ');
    fixture.detectChanges();
    expect(element.querySelectorAll('tbody tr')).toHaveLength(3);
    click('Join with the one before');
    expect(component.starts()).toEqual([
      { n: 1, name: 'Sign in' },
      { n: 9, name: 'Create confirm' },
    ]);
    component.rename(9, 'Confirm');
    expect(component.starts().at(-1)?.name).toBe('Confirm');
  });

  it('leads to the exchange that a finding is about', () => {
    const { fixture, click } = render(TidyPanel, { survey, tidy });
    const shown: number[] = [];
    fixture.componentInstance.shown.subscribe((n) => shown.push(n));
    click('Show no. 6');
    expect(shown).toEqual([6]);
  });
});

it('two takes beside each other show differences only, until all is asked for', () => {
  const rows: BesideRow[] = [
    { first: 1, second: 1, state: 'same', values: [], answer: null },
    { first: 2, second: 2, state: 'differs', values: [{ place: 'form:token', name: 'token', first: 'aaa', second: 'bbb' }], answer: null },
    { first: null, second: 3, state: 'extra', values: [], answer: null },
  ];
  const { element, fixture } = render(BesideView, {
    first: take,
    exchanges: [exchange(1), exchange(2)],
    takes: [{ ...take, id: 'o' }],
    other: { ...take, id: 'o', name: 'Take 2' },
    otherExchanges: [exchange(1), exchange(2), exchange(3)],
    rows,
  });
  expect(element.textContent).toContain('1 the same, 1 differ, 0 missing, 1 extra, 0 moved; 1 values differ');
  expect(element.querySelectorAll('tbody tr').length).toBe(3);
  expect(element.textContent).not.toContain('aaa');
  fixture.componentInstance.secrets.set(true);
  fixture.componentInstance.onlyDifferent.set(false);
  fixture.detectChanges();
  expect(element.querySelectorAll('tbody tr').length).toBe(4);
  expect(element.textContent).toContain('aaa');
});

it('a name from the page begins a transaction', () => {
  const { fixture, click } = render(MarkCard, { open: null, suggestions: ['Book intake'] });
  const marks: unknown[] = [];
  fixture.componentInstance.mark.subscribe((mark) => marks.push(mark));
  click('Book intake');
  expect(marks).toEqual([{ kind: 'begin', text: 'Book intake' }]);
});

describe('the state of takes', () => {
  const reduce = takesFeature.reducer;
  const start = reduce(undefined, takesActions.recordingStarted({ take, proxy: 'http://127.0.0.1:2' }));

  it('keeps exchanges in order though they end out of order, replaces those that grow, and forgets discarded ones', () => {
    let state = start;
    for (const received of [exchange(2), exchange(1), { ...exchange(2), durationMs: 99 }, exchange(3)])
      state = reduce(state, takesActions.exchangeCame({ exchange: received }));
    expect(state.exchanges.map((listed) => [listed.n, listed.durationMs])).toEqual([
      [1, 7],
      [2, 99],
      [3, 7],
    ]);
    expect(reduce(state, takesActions.exchangesDiscarded({ exchanges: [3] })).exchanges.length).toBe(2);
  });

  it('follows an import, and ends it when it is cancelled', () => {
    const file = new File(['12345'], 'a.har');
    let state = reduce(start, takesActions.harChosen({ name: 'a', file }));
    expect(state.importing).toEqual({ loaded: 0, total: 5 });
    state = reduce(state, takesActions.importProgressed({ loaded: 3, total: 5 }));
    expect(state.importing?.loaded).toBe(3);
    expect(reduce(state, takesActions.importCancelled()).importing).toBeNull();
  });

  it('forgets survey, search and the take beside when another take is opened', () => {
    const searched = reduce(start, takesActions.searchDone({ text: 'x', hits: [], more: false }));
    expect(reduce(searched, takesActions.takeOpened({ id: 'other' })).search).toBeNull();
  });
});

describe('the name that is proposed for a take', () => {
  it('is the next free one', () => {
    expect(freeName([])).toBe('Take 1');
    expect(freeName(['Take 1', 'Book intake'])).toBe('Take 3');
    expect(freeName(['Take 2', 'Take 3'])).toBe('Take 4');
  });
});
