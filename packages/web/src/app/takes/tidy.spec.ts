import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { Survey, Tidy, TransactionStart } from '@sturdy/core';
import { heard, render } from '../test/render';
import { MarkCard } from './mark-card';
import { ProposedTransactions } from './proposed-transactions';
import { TidyPanel } from './tidy-panel';

const tidy: Tidy = {
  leftOut: [],
  dropped: [],
  staticFiles: 'drop',
  telemetry: 'drop',
  foldRedirects: true,
  sideBySide: true,
  longestPauseMs: 60_000,
  polls: {},
} as unknown as Tidy;
const survey = {
  findings: [],
  hosts: [
    { origin: 'http://127.0.0.1:4701', role: 'application', reason: 'the pages came from it', requests: 40, failed: 0, bytes: 120_000 },
    { origin: 'http://127.0.0.2:80', role: 'telemetry', reason: 'only small posts', requests: 4, failed: 1, bytes: 900 },
  ],
  staticFiles: { requests: 12, bytes: 2_400_000 },
  telemetry: { requests: 4 },
  redirects: { requests: 2, chains: 1 },
  sideBySide: { requests: 6, groups: 2 },
  pauses: { longestMs: 12_300 },
  polls: [],
} as unknown as Survey;

/** The panel over a survey; what it changes comes back into it. */
function panel(more: Partial<Survey> = {}, given: Partial<Tidy> = {}) {
  TestBed.configureTestingModule({ providers: [provideRouter([])] });
  const rendered = render(TidyPanel, { survey: { ...survey, ...more }, tidy: { ...tidy, ...given } });
  return { ...rendered, now: () => rendered.component.tidy() };
}

describe('tidying a take', () => {
  it('says what there is of each kind, with units', () => {
    const { text } = panel();
    for (const part of [
      'Static files: 12, 2.4 MB',
      'Measuring requests: 4',
      'Redirects: 2 in 1 chain',
      'Overlapped in time: 6 in 2 groups',
      'the longest is 12.3',
    ])
      expect(text()).toContain(part);
  });

  it('says so where nothing is suspicious', () => {
    expect(panel().text()).toContain('Nothing suspicious.');
  });

  it('shows what is suspicious, drops it and keeps it after all', () => {
    const finding = { kind: 'failed', sentence: 'Two requests failed.', exchanges: [7, 9], action: { label: 'Drop both', drop: [7, 9] } };
    const { component, click, now } = panel({ findings: [finding] as never }, { dropped: [3, 7] });
    const shown = heard(component.shown);
    click('Show no. 7');
    expect(shown).toEqual([7]);
    click('Drop both');
    expect(now().dropped).toEqual([3, 7, 9]);
    click('Keep after all');
    expect(now().dropped).toEqual([3]);
  });

  it('leads to a new recording and to the environment where that helps', () => {
    const findings = [
      { kind: 'in-session', sentence: 'It starts inside a session.', exchanges: [], action: { label: 'Record again', go: 'record' } },
      { kind: 'refused-host', sentence: 'A host was refused.', exchanges: [], action: { label: 'Allow it', go: 'environment' } },
    ];
    const { component, click, element } = panel({ findings: findings as never });
    const environment = heard(component.environment);
    expect(element.querySelector('a')?.getAttribute('href')).toBe('/takes/record');
    click('Allow it');
    expect(environment).toHaveLength(1);
    expect([...element.querySelectorAll('.note')].map((note) => note.classList.contains('warn'))).toEqual([true, false]);
  });

  it('leaves a host out, and takes it in again', () => {
    const { element, now, fixture } = panel();
    const [, second] = element.querySelectorAll<HTMLInputElement>('td input[type=checkbox]');
    second?.click();
    expect(now().leftOut).toEqual(['http://127.0.0.2:80']);
    second?.click();
    fixture.detectChanges();
    expect(now().leftOut).toEqual([]);
  });

  it('says what a poll is, and does with it what is chosen', () => {
    const poll = { key: 'GET /state', name: 'GET /state', exchanges: [3, 5, 8], everyMs: 2000, sameAnswer: true };
    const { text, component, now } = panel({ polls: [poll, { ...poll, key: 'GET /jobs', name: 'GET /jobs', sameAnswer: false }] as never });
    expect(text()).toContain('GET /state was asked 3 times, every 2.0 s, with the same answer each time: a heartbeat.');
    expect(text()).toContain('by the page itself: polling.');
    component.setPoll('GET /state', 'drop');
    component.setPoll('GET /jobs', 'repeat');
    expect(now().polls).toEqual({ 'GET /state': 'drop', 'GET /jobs': 'repeat' });
  });

  it('changes one choice and leaves the others', () => {
    const { component, now } = panel();
    component.change({ staticFiles: 'keep' });
    expect(now()).toEqual({ ...tidy, staticFiles: 'keep' });
  });
});

describe('proposed transactions', () => {
  const starts: TransactionStart[] = [
    { n: 1, name: 'Sign in' },
    { n: 14, name: 'Book' },
    { n: 30, name: 'Sign out' },
  ];

  it('are renamed, but never without a name, and joined with the one before', () => {
    const { component, element, click } = render(ProposedTransactions, { starts });
    component.rename(14, ' Book intake ');
    component.rename(30, '  ');
    expect(component.starts()).toEqual([starts[0], { n: 14, name: 'Book intake' }, starts[2]]);
    expect(element.querySelectorAll('tbody button[aria-label^=Join]')).toHaveLength(2);
    click('Join Sign out');
    expect(component.starts().map(({ n }) => n)).toEqual([1, 14]);
  });

  it('lead to the exchange that they start with', () => {
    const { component, click } = render(ProposedTransactions, { starts });
    const shown = heard(component.shown);
    click('Show exchange 14');
    expect(shown).toEqual([14]);
  });
});

describe('marks while recording', () => {
  const card = (open: string | null, suggestions: string[] = []) => {
    const rendered = render(MarkCard, { open, suggestions });
    return { ...rendered, marks: heard(rendered.component.mark) };
  };

  it('begin a transaction once it has a name, and empty the field for the next', () => {
    const { component, marks, button, fixture } = card(null);
    expect(button('Begin').getAttribute('aria-description')).toBe('Write the name of the transaction first.');
    component.begin();
    component.transaction = ' Book ';
    component.begin();
    fixture.detectChanges();
    expect(marks).toEqual([{ kind: 'begin', text: 'Book' }]);
    expect(component.transaction).toBe('');
  });

  it('end what is open, by its name', () => {
    expect(card(null).button('End').getAttribute('aria-description')).toBe('No transaction has begun.');
    const { marks, click } = card('Book');
    click('End Book');
    expect(marks).toEqual([{ kind: 'end', text: 'Book' }]);
  });

  it('take names from the page, five at the most', () => {
    const { marks, click, element } = card(null, ['A', 'B', 'C', 'D', 'E', 'F']);
    expect(element.querySelectorAll('.names button')).toHaveLength(5);
    click('C');
    expect(marks).toEqual([{ kind: 'begin', text: 'C' }]);
  });

  it('are comments, too', () => {
    const { component, marks } = card('Book');
    component.note();
    component.comment = ' the list was empty ';
    component.note();
    expect(marks).toEqual([{ kind: 'comment', text: 'the list was empty' }]);
  });

  it('show how a robot sets them', () => {
    const { click, text } = card(null);
    expect(text()).not.toContain('curl');
    click('POST');
    expect(text()).toContain(`/api/takes/record/marks -d '{"kind":"begin","text":"Sign in"}'`);
  });
});
