import { TestBed } from '@angular/core/testing';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { generateRows, onceInOrder, plainColumns, type DataTable, type GeneratedColumn, type TableVersion } from '@sturdy/core';
import { of, Subject, throwError } from 'rxjs';
import { HttpErrorResponse } from '@angular/common/http';
import { Api } from '../shared/api';
import { heard, render } from '../test/render';
import { ColumnForm, columnKinds, newColumn } from './column-form';
import { DealCard } from './deal-card';
import { GenerateForm } from './generate-form';
import { PasteDialog } from './paste-dialog';
import { QueryDialog } from './query-dialog';
import { VersionList } from './version-list';

const table: DataTable = {
  id: 'd1',
  projectId: 'p1',
  name: 'Lots "A"',
  columns: plainColumns(['container', 'kg']),
  version: 3,
  rowCount: 200,
  spentCount: 50,
  deal: onceInOrder,
};

/** Closes and dismissals of a dialog. */
function modal() {
  const done = { close: jest.fn(), dismiss: jest.fn() };
  TestBed.configureTestingModule({ providers: [{ provide: NgbActiveModal, useValue: done }] });
  return done;
}

describe('a generated column', () => {
  /** The form over a column; what it changes comes back into it. */
  const form = (kind: GeneratedColumn['kind']) => {
    const rendered = render(ColumnForm, { value: newColumn(kind, 'lot') });
    const changes = heard(rendered.component.changed);
    rendered.component.changed.subscribe((value) => {
      rendered.give({ value });
    });
    return { ...rendered, last: () => changes.at(-1) };
  };

  it.each(columnKinds.map(({ id }) => id).filter((id) => id !== 'joined' && id !== 'digest'))(
    'of the kind %s can be made as it is proposed',
    (kind) => {
      const [first, second] = generateRows([newColumn(kind, 'lot')], 2, '7', Date.UTC(2026, 0, 1));
      expect(first).toHaveLength(1);
      expect(second?.[0]).not.toBe('');
    },
  );

  it('made of others can be made as it is proposed, beside what it is made of', () => {
    const columns = [newColumn('container', 'container'), newColumn('joined', 'label'), newColumn('digest', 'sum')];
    const [row] = generateRows(columns, 1, '7', 0);
    expect(row?.[1]).toBe(`Lot ${row?.[0]}`);
    // SHA-256 has 256 bits: 64 hexadecimal digits (FIPS 180-4).
    expect(row?.[2]).toMatch(/^[0-9a-f]{64}$/);
  });

  it('keeps its name when it is filled with something else', () => {
    const { enter, last } = form('sequence');
    enter('Filled with', 'iban');
    expect(last()).toEqual({ kind: 'iban', name: 'lot', country: 'DE', bank: '37040044', digits: 10 });
  });

  it('takes numbers as numbers, and nothing that is none', () => {
    const { enter, last } = form('number');
    enter('To', '250.5');
    expect(last()).toMatchObject({ to: 250.5, from: 1000 });
    enter('To', '');
    expect(last()).toMatchObject({ to: 250.5 });
  });

  it('takes the digits of a GS1 number as a number, the form of a day as a text', () => {
    const gs1 = form('gs1');
    gs1.enter('Digits', '14');
    expect(gs1.last()).toMatchObject({ length: 14 });
    const date = form('date');
    date.enter('Form', 'DD.MM.YYYY');
    expect(date.last()).toMatchObject({ form: 'DD.MM.YYYY' });
  });

  it('reads choices one a line, with how often they come, and shows them in the same way', () => {
    const { enter, last, field } = form('pick');
    expect(field('One a line').value).toBe('3 x Frozen cod\nBlue mussels');
    enter('One a line', '2.5 x Herring\n\n  Crab \n0 x Eel\n3 xylophones');
    expect(last()).toMatchObject({
      from: [
        { text: 'Herring', weight: 2.5 },
        { text: 'Crab', weight: 1 },
        { text: 'Eel', weight: 1 },
        { text: '3 xylophones', weight: 1 },
      ],
    });
    enter('One a line', '\n');
    expect(last()).toMatchObject({ from: [{ text: 'Herring' }, {}, {}, {}] });
  });

  it('is left out by its name', () => {
    const { component, click } = form('guid');
    const removed = heard(component.removed);
    click('Leave out the column lot');
    expect(removed).toHaveLength(1);
  });
});

describe('a table that is generated', () => {
  it('shows its first rows as they will be', () => {
    const { component, element, enter } = render(GenerateForm);
    enter('Seed', '42');
    const shown = () => [...element.querySelectorAll('tbody td')].map((cell) => cell.textContent);
    const wanted = generateRows(component.columns(), 5, '42', Date.now()).map(([cell]) => cell);
    expect(shown()).toEqual(wanted);
  });

  it('gets columns with names that are free, and loses them again', () => {
    const { component, click, element } = render(GenerateForm);
    click('Add a column');
    click('Add a column');
    expect(component.columns().map(({ name }) => name)).toEqual(['container', 'number', 'number 2']);
    click('Leave out the column number');
    expect([...element.querySelectorAll('th')].map((head) => head.textContent)).toEqual(['container', 'number 2']);
  });

  it.each([
    ['Table name', ' ', 'Give the table a name.'],
    ['Rows', '0', 'From 1 to 1,000,000 rows can be made at once.'],
    ['Rows', '1000001', 'From 1 to 1,000,000 rows can be made at once.'],
    ['Column', '  ', 'Give each column a name.'],
    ['Owner code', 'tw', /owner/i],
  ])('cannot be made with %s “%s”, and says why', (label, value, sentence) => {
    const { enter, button, element } = render(GenerateForm);
    enter(label, value);
    expect(element.querySelector('[role=alert]')?.textContent).toMatch(sentence);
    expect(button('Generate').disabled).toBe(true);
    expect(button('Generate').getAttribute('aria-description')).toMatch(sentence);
  });

  it('needs a column', () => {
    const { click, text } = render(GenerateForm);
    click('Leave out the column container');
    expect(text()).toContain('Add a column.');
  });

  it('is wanted as it was entered', () => {
    const { component, enter, click } = render(GenerateForm);
    const wanted = heard(component.wanted);
    enter('Table name', ' Lots ');
    enter('Rows', '12');
    enter('Seed', 's');
    click('Generate 12 rows');
    expect(wanted).toEqual([{ name: 'Lots', count: 12, seed: 's', columns: [newColumn('container', 'container')] }]);
  });
});

describe('how rows are dealt', () => {
  const card = (deal: Partial<DataTable['deal']> = {}) => {
    const rendered = render(DealCard, { table: { ...table, deal: { ...onceInOrder, ...deal } } });
    return { ...rendered, changes: heard(rendered.component.changed) };
  };

  it('is told in a sentence, with how many are gone', () => {
    expect(card().text()).toContain('No two users, generators or runs ever get the same row. 50 of 200 rows are spent.');
    expect(card({ when: 'run' }).text()).toContain('All users of a run get the same row, and it is spent.');
    expect(card({ use: 'exclusive' }).text()).toContain('while a run or rehearsal holds it. 50 of 200 rows are held.');
    expect(card({ use: 'again' }).text()).toContain('nothing is spent.');
  });

  it('starts over only where rows may be dealt again', () => {
    const { changes, element, enter } = card({ use: 'again', whenEmpty: 'start-over' });
    expect(element.querySelector<HTMLOptionElement>('option[value=start-over]')?.disabled).toBe(false);
    enter('A dealt row', 'once');
    expect(changes).toEqual([{ ...onceInOrder, use: 'once', whenEmpty: 'stop-user' }]);
    expect(card().element.querySelector<HTMLOptionElement>('option[value=start-over]')?.disabled).toBe(true);
  });

  it('changes in one point and stays in the others', () => {
    const { changes, enter } = card();
    enter('A new row', 'user');
    enter('Order', 'shuffled');
    expect(changes).toEqual([
      { ...onceInOrder, when: 'user' },
      { ...onceInOrder, order: 'shuffled' },
    ]);
  });

  it('shows an empty table as not spent', () => {
    const { element } = render(DealCard, { table: { ...table, rowCount: 0, spentCount: 0 } });
    expect(element.querySelector<HTMLElement>('.meter i')?.style.width).toBe('0%');
  });
});

describe('versions of a table', () => {
  const version = (number: number, from: number, rows = 1): TableVersion => ({
    number,
    from,
    what: `change ${number}`,
    by: 'mara',
    at: '2026-03-01T10:00:00Z',
    rows,
  });

  it('are listed down to how the table was made; one that began elsewhere says where', () => {
    const { element, component, click } = render(VersionList, { versions: [version(3, 1, 12), version(2, 1), version(1, 0)], current: 3 });
    const lines = [...element.querySelectorAll('li')].map((line) => line.textContent.replace(/\s+/g, ' ').trim());
    expect(lines).toHaveLength(4);
    expect(lines[0]).toMatch(/^change 3 ?mara · .* · 12 rows · from version 1$/);
    expect(lines[1]).not.toContain('from version');
    expect(lines[3]).toBe('as it was made');
    const wanted = heard(component.wanted);
    click('change 3');
    click('as it was made');
    expect(wanted).toEqual([0]);
  });
});

describe('cells of a spreadsheet', () => {
  it('make a table once there are cells and a name', () => {
    const done = modal();
    const { enter, button, click } = render(PasteDialog);
    expect(button('Make a table').getAttribute('aria-description')).toBe('Paste the rows first.');
    enter('Cells', 'a\tb');
    enter('Table name', ' ');
    expect(button('Make a table').getAttribute('aria-description')).toBe('Name the table first.');
    enter('Table name', ' Lots ');
    click('Make a table');
    expect(done.close).toHaveBeenCalledWith({ name: 'Lots', text: 'a\tb' });
  });
});

describe('rows of a database', () => {
  function dialog(tryQuery: jest.Mock) {
    const done = modal();
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { tryQuery } }] });
    const rendered = render(QueryDialog);
    rendered.component.tables = [table];
    return { ...rendered, done };
  }
  const found = { columns: ['number'], rows: [['TWCU 7']] };

  it('are imported once the query was tried and found some', () => {
    const tryQuery = jest.fn(() => of(found));
    const { enter, click, button, element, done } = dialog(tryQuery);
    expect(button('Import all rows').getAttribute('aria-description')).toContain('Try the query first');
    enter('Address', ' postgres://reader@127.0.0.1/orders ');
    enter('Query', 'select number from lots');
    click('Try it');
    expect(element.querySelector('tbody td')?.textContent).toBe('TWCU 7');
    click('Import all rows');
    const wish = { name: 'From a database', address: 'postgres://reader@127.0.0.1/orders', sql: 'select number from lots' };
    expect(tryQuery).toHaveBeenCalledWith(wish);
    expect(done.close).toHaveBeenCalledWith(wish);
  });

  it('that are none say so, and are not imported', () => {
    const { click, text, button } = dialog(jest.fn(() => of({ columns: ['number'], rows: [] })));
    click('Try it');
    expect(text()).toContain('No row. See whether the conditions are right.');
    expect(button('Import all rows').disabled).toBe(true);
  });

  it('of a query that was refused show why, in place of those from before', () => {
    const refused = throwError(() => new HttpErrorResponse({ status: 422, error: { detail: 'column "nr" does not exist' } }));
    const { click, text, element } = dialog(jest.fn().mockReturnValueOnce(of(found)).mockReturnValueOnce(refused));
    click('Try it');
    click('Try it');
    expect(element.querySelector('[role=alert]')?.textContent).toContain('column "nr" does not exist');
    expect(text()).not.toContain('TWCU 7');
  });

  it('are asked for once at a time', () => {
    const answer = new Subject<typeof found>();
    const { click, button, fixture } = dialog(jest.fn(() => answer));
    click('Try it');
    expect(button('Try it').getAttribute('aria-description')).toBe('The query is under way.');
    answer.next(found);
    fixture.detectChanges();
    expect(button('Try it').disabled).toBe(false);
  });

  it('of the project come with a query that works there, unless one was written', () => {
    const { enter, field, text, component } = dialog(jest.fn());
    enter('Database', 'own');
    expect(field('Query').value).toBe('select * from "Lots ""A""" where spent_by is null');
    expect(text()).toContain('"Lots "A"" (container, kg).');
    expect(component.wish().address).toBe('own');
    enter('Query', 'select 1');
    enter('Database', 'server');
    expect(field('Query').value).toBe('select 1');
  });
});
