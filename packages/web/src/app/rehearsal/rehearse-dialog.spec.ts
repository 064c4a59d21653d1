import { TestBed } from '@angular/core/testing';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { onceInOrder, plainColumns, plainEnvironment, type DataTable, type Environment, type RequestStep, type Script } from '@sturdy/core';
import { render } from '../test/render';
import { RehearseDialog, type RehearsalKind } from './rehearse-dialog';

const origin = 'http://127.0.0.1:4701';
const request = (id: string, method: string, more: Partial<RequestStep> = {}): RequestStep => ({
  kind: 'request',
  id,
  name: `${method} /${id}`,
  exchange: null,
  method,
  origin,
  url: [{ kind: 'text', text: `/${id}` }],
  headers: [],
  body: null,
  bodyFile: null,
  expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
  followRedirects: false,
  ...more,
});
const bound = request('book', 'POST', { url: [{ kind: 'data', table: 'd1', column: 'number', recorded: '1' }] });
const script = {
  id: 's',
  name: 'Book intake',
  transactions: [
    { kind: 'transaction', id: 't', name: 'Book', steps: [request('look', 'GET'), bound, request('keep', 'PUT'), request('send', 'POST')] },
  ],
  handoffs: [],
  made: [],
} as unknown as Script;
const table = (id: string): DataTable => ({
  id,
  projectId: 'p',
  name: `Table ${id}`,
  columns: plainColumns(['number']),
  version: 0,
  rowCount: 9,
  spentCount: 2,
  deal: onceInOrder,
});

function dialog(kind: RehearsalKind = 'rehearse', more: Partial<Environment> = {}) {
  const modal = { close: jest.fn(), dismiss: jest.fn() };
  TestBed.configureTestingModule({ providers: [{ provide: NgbActiveModal, useValue: modal }] });
  const rendered = render(RehearseDialog);
  rendered.component.kind.set(kind);
  rendered.component.script.set(script);
  rendered.component.environment.set({ ...plainEnvironment({ id: 'e', projectId: 'p', name: 'Test', targets: [origin] }), ...more });
  rendered.component.allTables.set([table('d1'), table('d2')]);
  rendered.fixture.detectChanges();
  const tick = (text: string) => {
    const label = [...rendered.element.querySelectorAll('label')].find((shown) => shown.textContent.includes(text));
    label?.querySelector('input')?.click();
    rendered.fixture.detectChanges();
  };
  return { ...rendered, modal, tick };
}
const usual = { mode: 'through', until: null, twice: false, rows: [] };

describe('before a rehearsal', () => {
  it('it is told what it may change, how often, and where', () => {
    const { text } = dialog();
    expect(text()).toContain('One virtual user plays the script. Each time it makes what a person would make: 3 of its 4 steps can change');
    expect(text()).toContain('(2 POST, 1 PUT)');
    expect(text()).toContain(`${origin} in the environment Test.`);
  });

  it('a production-like environment is told in colour and words, and nobody is offered to skip it', () => {
    const { text, element } = dialog('rehearse', { productionLike: true });
    expect(element.querySelector('.note')?.className).toBe('note bad');
    expect(text()).toContain('in the environment Test, which is production-like: make sure that this is meant.');
    expect(text()).not.toContain('start at once the next time');
    TestBed.resetTestingModule();
    const usualDialog = dialog();
    expect(usualDialog.element.querySelector('.note')?.className).toBe('note warn');
    expect(usualDialog.text()).toContain('start at once the next time');
  });

  it('a pass that is to be proven plays twice', () => {
    const { tick, text, click, modal } = dialog();
    tick('Twice in a row');
    expect(text()).toContain('plays the script, and once more.');
    click('Start');
    expect(modal.close).toHaveBeenCalledWith({ known: false, wish: { ...usual, twice: true } });
  });

  it('rounds of repair play several times, from the first step to the last', () => {
    const { text } = dialog('repair');
    expect(text()).toMatch(/plays the script, up to \d+ times\./);
    expect(text()).not.toContain('Straight through');
  });

  it('nothing starts where a target is not allowed', () => {
    const { text, button } = dialog('rehearse', { targets: ['http://127.0.0.1:1'] });
    expect(text()).toContain('Not allowed yet:');
    expect(button('Start').getAttribute('aria-description')).toContain(origin);
  });

  it('a step may be the last, and only a whole rehearsal is played twice', () => {
    const { enter, click, modal, tick, element } = dialog();
    tick('Twice in a row');
    enter('Last step', 'keep');
    expect(element.querySelector<HTMLInputElement>('input[type=checkbox]')?.disabled).toBe(true);
    click('Start');
    expect(modal.close).toHaveBeenCalledWith({ known: false, wish: { ...usual, until: 'keep' } });
  });

  it('up to a step without a choice is up to the first', () => {
    const { tick, click, modal } = dialog();
    tick('Up to');
    click('Start');
    expect(modal.close).toHaveBeenCalledWith({ known: false, wish: { ...usual, until: 'look' } });
  });

  it('it waits before each request where that is wanted, and is not asked again where that is known', () => {
    const { tick, click, modal } = dialog();
    tick('Step by step');
    tick('I know this');
    click('Start');
    expect(modal.close).toHaveBeenCalledWith({ known: true, wish: { ...usual, mode: 'step' } });
  });

  it('a row may be chosen of each table that the script sends, and of no other', () => {
    const { enter, click, modal, text } = dialog();
    expect(text()).toContain('Row of Table d1, spent for good');
    expect(text()).not.toContain('Table d2');
    enter('Row of Table d1', '5');
    click('Start');
    enter('Row of Table d1', '');
    click('Start');
    expect(modal.close.mock.calls).toEqual([
      [{ known: false, wish: { ...usual, rows: [{ table: 'd1', row: 5 }] } }],
      [{ known: false, wish: usual }],
    ]);
  });
});
