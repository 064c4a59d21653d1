import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import { BriefSchema, briefTemplates, type Brief, type BriefView, type Script, type SizingRow } from '@sturdy/core';
import { NEVER } from 'rxjs';
import { Api } from '../shared/api';
import { briefActions } from '../state/brief.actions';
import { briefFeature } from '../state/brief.feature';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { heard, render } from '../test/render';
import { keyRows, keysOfRows } from './brief-lists';
import { BriefScreen } from './brief-screen';
import { EditableRows } from './editable-rows';
import { SizingSheet } from './sizing-sheet';

const row: SizingRow = {
  scriptId: 's',
  script: 'Book intake',
  transactions: ['Book intake'],
  ratePerHour: 1200,
  iterationSeconds: 20,
  pacingSeconds: 30,
  users: 10,
  reachedPerHour: 1200,
  warning: null,
};

describe('rows that are edited in place', () => {
  const columns = [
    { key: 'text', name: 'What', kind: 'text' as const },
    { key: 'rows', name: 'Rows', kind: 'number' as const, min: 0 },
    { key: 'limit', name: 'Limit', kind: 'optional-number' as const, min: 1 },
    { key: 'of', name: 'Of', kind: 'choice' as const, choices: [{ value: 'a', name: 'A' }, { value: 'b', name: 'B' }] }, // prettier-ignore
  ];
  const fresh = { id: '', text: '', rows: 1, limit: null, of: 'a' };
  const rows = [{ ...fresh, id: 'b4', text: 'containers', rows: 5000, limit: 9 }];

  it('tell each change of a cell, and put back what is no number in the range', () => {
    const { component, enter, field } = render(EditableRows, { what: 'Data', noun: 'row', columns, rows, fresh });
    const changes = heard(component.changed);
    enter('What', 'trucks');
    enter('Rows', '70');
    enter('Limit', '');
    enter('Of', 'b');
    enter('Rows', '-4');
    expect(changes.map(([changed]) => changed)).toEqual([
      { ...rows[0], text: 'trucks' },
      { ...rows[0], rows: 70 },
      { ...rows[0], limit: null },
      { ...rows[0], of: 'b' },
    ]);
    expect(field('Rows').value).toBe('5000');
  });

  it('are added with an id of their own, and removed', () => {
    const { component, click } = render(EditableRows, { what: 'Data', noun: 'row', columns, rows, fresh });
    const changes = heard(component.changed);
    click('Add a row');
    click('Remove row 1');
    expect(changes).toEqual([[rows[0], { ...fresh, id: 'b5' }], []]);
  });
});

describe('the sizing sheet', () => {
  it('gives users for a pacing and the pacing for users, and makes a workload', () => {
    const { component, enter, click, text } = render(SizingSheet, { rows: [row] });
    const [paced, made] = [heard(component.pacing), heard(component.workload)];
    enter('Pacing, s', '45');
    enter('Users', '8');
    click('Make a workload');
    // P = 3600 · 8 / 1200.
    expect(paced).toEqual([
      { scriptId: 's', seconds: 45 },
      { scriptId: 's', seconds: 24 },
    ]);
    expect(made).toHaveLength(1);
    expect(text()).toContain('1,200 an hour wanted');
  });

  it('makes none where nothing is sized, and warns of a pacing that is too short', () => {
    const { button, give, text } = render(SizingSheet, { rows: [] });
    expect(button('Make a workload').title).toContain('No script plays a key transaction');
    give({ rows: [{ ...row, warning: 'The rate cannot be reached.' }] });
    expect(text()).toContain('The rate cannot be reached.');
  });
});

it('a percentile and its limit are two cells of a row, and come back as they were', () => {
  const { transactions } = BriefSchema.parse({
    transactions: [
      { id: 'a', transaction: 'Book', ratePerHour: 9, scriptId: 's', percentile: { measure: 'p90', limitMs: 700 } },
      { id: 'b', transaction: 'Find', ratePerHour: 1 },
    ],
  });
  expect(keyRows(transactions).map(({ measure, percentileMs, scriptId }) => [measure, percentileMs, scriptId])).toEqual([
    ['p90', 700, 's'],
    ['p95', null, ''],
  ]);
  expect(keysOfRows(keyRows(transactions))).toEqual(transactions);
});

describe('the screen of the brief', () => {
  const brief = BriefSchema.parse({
    title: 'Peak',
    aims: 'Hold it.',
    hosts: [
      { id: 'w', name: 'Web' },
      { id: 'd', name: 'Database' },
    ],
    links: [{ from: 'w', to: 'd', label: 'SQL' }],
    transactions: [{ id: 't', transaction: 'Book intake', ratePerHour: 100 }],
  });
  /** The screen with a view, and what it sends to the store from then on. */
  function screen(shown: Brief = brief, more: Partial<BriefView> = {}) {
    localStorage.clear();
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        provideStore(),
        provideState(briefFeature),
        provideState(scriptsFeature),
        { provide: Api, useValue: { brief: () => NEVER } },
      ],
    });
    const rendered = render(BriefScreen);
    const store = TestBed.inject(Store);
    store.dispatch(briefActions.loaded({ view: { brief: shown, signatures: [], askAgain: null, sizing: [row], ...more } }));
    store.dispatch(
      scriptsActions.listLoaded({
        list: [{ id: 's', name: 'S', transactions: [{ name: 'Find intake' }], handoffs: [] } as unknown as Script],
      }),
    );
    rendered.fixture.detectChanges();
    const sent: Action[] = [];
    jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
    return { ...rendered, sent };
  }
  const changed = (sent: readonly Action[]) => sent.map((action) => (action as ReturnType<typeof briefActions.changed>).brief);

  it('changes what is written, begins with a template, and keeps what was there beside it', () => {
    const { enter, click, sent } = screen();
    enter('Title', 'Harvest');
    enter('Aims', 'Find the turn.');
    click('Capacity: where does it turn');
    const [title, aims, template] = changed(sent);
    expect([title?.title, aims?.aims]).toEqual(['Harvest', 'Find the turn.']);
    expect(template?.aims).toBe(briefTemplates[1]?.brief.aims);
    expect(template?.signatures).toEqual(brief.signatures);
  });

  it('draws the hosts, and names key transactions that no script plays', () => {
    const { element, text } = screen();
    expect(element.querySelector('.topology svg')?.textContent).toContain('Database');
    expect(text()).toContain('No script plays Book intake.');
  });

  it('is signed by name, tells who has to be asked again, and takes a signature back', () => {
    const signature = { by: 'Odile Marsh', role: 'operations', at: '2026-11-30T10:00:00Z', fingerprint: 'f', holds: false };
    const kept = { ...signature, by: 'Per & Lund', changed: ['error rate', 'risks'], isKept: true };
    const { element, text, enter, click, button, sent } = screen(brief, {
      signatures: [{ ...signature, changed: [], isKept: false }, kept],
      askAgain: 'Ask them again.',
    });
    expect(text()).toContain('Ask them again.');
    expect(text()).toContain('changed since: the brief');
    expect(text()).toContain('changed since: error rate, risks');
    const links = [...element.querySelectorAll<HTMLAnchorElement>('.signature a')].map((link) => link.getAttribute('href'));
    expect(links).toEqual([expect.stringMatching(/\/brief\/signed\.pdf\?by=Per%20%26%20Lund$/)]);
    expect(button('Sign it').title).toBe('Say who signs.');
    enter('Who signs', 'Per Lund');
    enter('In which role', 'business');
    click('Sign it');
    click('Take back the signature of Odile Marsh');
    expect(sent).toEqual([
      briefActions.signatureWanted({ by: 'Per Lund', role: 'business' }),
      briefActions.signatureTakenBack({ by: 'Odile Marsh' }),
    ]);
  });

  it('keeps the pacing of a script, and makes the workload', () => {
    const { enter, click, sent } = screen();
    enter('Pacing, s', '45');
    click('Make a workload');
    expect(changed(sent.slice(0, 1))[0]?.pacing).toEqual({ s: 45 });
    expect(sent[1]).toEqual(briefActions.workloadWanted());
  });

  it('says what a brief is for where nothing is written', () => {
    expect(screen(BriefSchema.parse({})).text()).toContain('The brief says what is tested');
  });
});

describe('the state of the brief', () => {
  const { reducer } = briefFeature;
  const view = (title: string): BriefView => ({ brief: BriefSchema.parse({ title }), signatures: [], askAgain: null, sizing: [] });

  it('shows a change at once, and keeps what was typed while an earlier one was being stored', () => {
    let state = reducer(undefined, briefActions.loaded({ view: view('old') }));
    state = reducer(state, briefActions.changed({ brief: view('first').brief }));
    expect([state.view?.brief.title, state.saving]).toEqual(['first', true]);
    state = reducer(state, briefActions.changed({ brief: view('second').brief }));
    state = reducer(state, briefActions.saved({ view: view('first') }));
    expect(state.view?.brief.title).toBe('second');
    expect(reducer(state, briefActions.saveFailed()).saving).toBe(false);
  });
});
