import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { onceInOrder, plainColumns, type DataTable, type Handoff, type RequestStep, type Script, type Template } from '@sturdy/core';
import { of } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { BindDialog, type BindChoice } from './bind-dialog';
import { FindDialog } from './find-dialog';

const text = (value: string): Template => [{ kind: 'text', text: value }];
const request = (id: string, url: string, name = `GET ${url}`): RequestStep => ({
  kind: 'request',
  id,
  name,
  exchange: null,
  method: 'GET',
  origin: 'http://127.0.0.1:1',
  url: text(url),
  headers: [],
  body: null,
  bodyFile: null,
  expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
  followRedirects: false,
});
const script = {
  id: 's',
  name: 'Book',
  transactions: [
    {
      kind: 'transaction',
      id: 't1',
      name: 'Book lot',
      steps: [request('a', '/lots?lot=LOT-17'), request('b', '/keep?lot=LOT-17&day=2026-03-01')],
    },
  ],
  handoffs: [{ id: 'h1', name: 'visit', recorded: 'v1' } as Handoff],
  made: [],
  unsure: [],
} as unknown as Script;
const table: DataTable = {
  id: 'd1',
  projectId: 'p',
  name: 'Lots',
  columns: plainColumns(['lot', 'day']),
  version: 0,
  rowCount: 8,
  spentCount: 3,
  deal: onceInOrder,
};

function modal(api: object = {}) {
  const done = { close: jest.fn(), dismiss: jest.fn() };
  TestBed.configureTestingModule({
    providers: [provideRouter([]), { provide: NgbActiveModal, useValue: done }, { provide: Api, useValue: api }],
  });
  return done;
}

describe('finding in a script', () => {
  function dialog() {
    const done = modal();
    const rendered = render(FindDialog);
    rendered.component.script.set(script);
    rendered.fixture.detectChanges();
    return {
      ...rendered,
      done,
      tick: (at: number) => {
        rendered.element.querySelectorAll<HTMLInputElement>('.hit input')[at]?.click();
        rendered.fixture.detectChanges();
      },
    };
  }

  it('says what is searched before anything is', () => {
    const { text: shown, button } = dialog();
    expect(shown()).toContain('The search covers names, addresses');
    expect(button('Replace in').getAttribute('aria-description')).toBe('No place is ticked.');
  });

  it('shows each place by its step, with what stands there and what would', () => {
    const { enter, element } = dialog();
    enter('Find', 'lot=LOT-17');
    enter('Replace by', 'lot=X');
    const hits = [...element.querySelectorAll('.hit')].map((hit) => hit.textContent.replace(/\s+/g, ' ').trim());
    expect(hits.some((hit) => hit.startsWith('GET /lots?lot=LOT-17 ·'))).toBe(true);
    expect([...element.querySelectorAll('del')].every((gone) => gone.textContent === 'lot=LOT-17')).toBe(true);
    expect([...element.querySelectorAll('ins')].every((come) => come.textContent === 'lot=X')).toBe(true);
  });

  it('replaces in the ticked places only, and counts them', () => {
    const { enter, tick, component, click, done, button } = dialog();
    enter('Find', 'day=');
    enter('Replace by', 'on=');
    const count = component.hits().length;
    expect(count).toBeGreaterThan(1);
    const kept = component.hits().findIndex(({ where }) => where === 'url');
    for (let at = 0; at < count; at++) if (at !== kept) tick(at);
    expect(button('Replace in').textContent.trim()).toBe('Replace in 1 place');
    click('Replace in');
    const [replaced] = done.close.mock.lastCall as [Script];
    const [, second] = replaced.transactions[0]?.steps ?? [];
    expect(second).toMatchObject({ name: 'GET /keep?lot=LOT-17&day=2026-03-01', url: text('/keep?lot=LOT-17&on=2026-03-01') });
  });

  it('takes groups of an expression, whatever the case, and says what is wrong with one', () => {
    const { enter, element, component, fixture } = dialog();
    component.expression.set(true);
    component.anyCase.set(true);
    enter('Find', 'lot-(\\d+)');
    enter('Replace by', 'N$1');
    expect(element.querySelector('ins')?.textContent).toBe('N17');
    enter('Find', 'lot-(');
    fixture.detectChanges();
    expect(element.querySelector('[role=alert]')?.textContent).toContain('The expression is not valid:');
  });
});

describe('replacing a recorded value', () => {
  function dialog(value = 'LOT-17', tables = [table]) {
    const viewTable = () =>
      of({
        rows: [
          { row: 4, values: ['LOT-20', '01.04.2026'] },
          { row: 5, values: ['LOT-21', '02.04.2026'] },
        ],
      });
    const done = modal({ viewTable });
    const rendered = render(BindDialog);
    rendered.component.start(script, value, 'lot', tables);
    rendered.fixture.detectChanges();
    return { ...rendered, chosen: () => (done.close.mock.lastCall as [BindChoice])[0], done };
  }

  it('by a column shows what would be sent, and every place', () => {
    const { text: shown, click, chosen } = dialog();
    expect(shown()).toContain('It would send “LOT-20”, “LOT-21” with the first rows; recorded was “LOT-17”.');
    expect(shown()).toContain('It is sent at 2 places');
    expect(shown()).toContain('Lots · lot (5 free rows)');
    click('Replace it');
    expect(chosen()).toMatchObject({
      template: [{ kind: 'data', table: 'd1', column: 'lot', recorded: 'LOT-17' }],
      places: [{ step: 'a' }, { step: 'b' }],
      made: [],
      computes: null,
    });
  });

  it('writes a day as the recorded one was written', () => {
    const { enter, field, text: shown } = dialog('2026-03-01');
    enter('Column', '1');
    expect(field('Written as').value).toBe('yyyy-MM-dd');
    expect(shown()).toContain('It would send “2026-04-01”, “2026-04-02”');
  });

  it('keeps a form that was written by hand, and takes none that is none', () => {
    const { enter, field, button } = dialog('2026-03-01');
    enter('Written as', '[1..3]');
    enter('Column', '0');
    enter('by', 'variable');
    enter('Written as', '[a..b]');
    expect(field('Written as').value).toBe('[a..b]');
    expect(button('Replace it').disabled).toBe(true);
    expect(button('Replace it').getAttribute('aria-description')).not.toBe('');
  });

  it('at no place is none', () => {
    const { element, fixture, button } = dialog();
    for (const box of element.querySelectorAll<HTMLInputElement>('.places input')) box.click();
    fixture.detectChanges();
    expect(button('Replace it').getAttribute('aria-description')).toBe('No place is ticked.');
  });

  it('by a generated value adds that to the script, under a name that is free', () => {
    const { enter, click, chosen } = dialog();
    enter('by', 'made');
    enter('Made as', 'guid');
    click('Replace it');
    const { made, template } = chosen();
    expect(made).toMatchObject([{ recorded: 'LOT-17', made: 'guid', reason: 'It was chosen by hand.' }]);
    expect(template).toEqual([{ kind: 'made', made: made[0]?.id, recorded: 'LOT-17' }]);
  });

  it('by a handoff sends what that reads', () => {
    const { enter, click, chosen } = dialog();
    enter('by', 'handoff');
    click('Replace it');
    expect(chosen().template).toEqual([{ kind: 'handoff', handoff: 'h1', recorded: 'LOT-17' }]);
  });

  it('by code puts in what sets the variable', () => {
    const { enter, click, chosen, button } = dialog();
    enter('by', 'code');
    enter('The code sets', ' ');
    expect(button('Replace it').getAttribute('aria-description')).toBe('Name the variable first.');
    enter('The code sets', 'sum');
    click('Replace it');
    expect(chosen()).toMatchObject({ computes: 'sum', template: [{ kind: 'variable', name: 'sum', recorded: 'LOT-17' }] });
  });

  it('by a column leads to the data where there is no table', () => {
    const { text: shown, button, element } = dialog('LOT-17', []);
    expect(shown()).toContain('There is no data table yet.');
    expect(element.querySelector('a')?.getAttribute('href')).toBe('/data');
    expect(button('Replace it').getAttribute('aria-description')).toBe('There is no column to choose.');
  });
});
