import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { Exchange, Script } from '@sturdy/core';
import { DifferenceView } from '../rehearsal/difference-view';
import { TemplateView } from '../scripts/template-view';
import { Strings } from '../scripts/strings';
import { ExchangeTable } from '../takes/exchange-table';
import { HeaderList } from '../takes/header-list';
import { render } from '../test/render';
import { ConfirmDelete } from './confirm-delete';
import { NumberField } from './number-field';

describe('headers', () => {
  const headers = [
    ['Accept', '*/*'],
    ['Authorization', 'Bearer secret-1'],
    ['Set-Cookie', 'sid=secret-2'],
    ['X-Client-Key', 'secret-3'],
  ];

  it('mask secrets until they are asked for', () => {
    const { element, click } = render(HeaderList, { headers });
    expect(element.textContent).toContain('*/*');
    expect(element.textContent).not.toContain('secret-');
    click('Show secrets');
    expect(element.textContent).toContain('Bearer secret-1');
    expect(element.textContent).toContain('secret-3');
    click('Mask secrets');
    expect(element.textContent).not.toContain('secret-2');
  });

  it('offer nothing to show where there is no secret', () => {
    expect(render(HeaderList, { headers: [['Accept', 'a']] }).element.querySelector('button')).toBeNull();
  });
});

describe('deleting', () => {
  it('asks once, in its place, and can be kept', () => {
    const { fixture, element, click } = render(ConfirmDelete, { name: 'Take 1' });
    let deleted = 0;
    fixture.componentInstance.confirmed.subscribe(() => deleted++);
    click('Delete Take 1');
    click('Keep');
    expect(deleted).toBe(0);
    click('Delete Take 1');
    click('Delete for good');
    expect(deleted).toBe(1);
    expect(element.textContent).not.toContain('Keep');
  });
});

describe('a number field', () => {
  it('tells a number in its range, and puts back what is none', () => {
    const { fixture, element } = render(NumberField, { label: 'Users', value: 20, min: 1, max: 100 });
    const heard: number[] = [];
    fixture.componentInstance.changed.subscribe((value) => heard.push(value));
    const input = element.querySelector('input') ?? document.createElement('input');
    const type = (text: string) => {
      input.value = text;
      input.dispatchEvent(new Event('change'));
    };
    type('35');
    type('0');
    type('');
    expect(heard).toEqual([35]);
    expect(input.value).toBe('20');
  });
});

const script = {
  id: 's',
  handoffs: [{ id: 'h1', name: 'form key' }],
  made: [{ id: 'm1', made: 'epoch-ms', reason: 'a clock' }],
} as unknown as Script;

describe('a text with moving pieces', () => {
  it('shows each as a chip by its name, through all wrappings, with a menu that says what shall become of it', () => {
    TestBed.configureTestingModule({ providers: [provideRouter([])] });
    const { fixture, element, click } = render(TemplateView, {
      script,
      tables: { d1: 'Containers' },
      template: [
        { kind: 'text', text: 'key=' },
        { kind: 'wrap', encoding: 'form', recorded: 'x', pieces: [{ kind: 'handoff', handoff: 'h1', recorded: 'x' }] },
        { kind: 'made', made: 'm1', recorded: '1' },
        { kind: 'data', table: 'd1', column: 'number', recorded: 'N' },
      ],
    });
    const chosen: string[] = [];
    const back: unknown[] = [];
    fixture.componentInstance.chosen.subscribe((handoff) => chosen.push(handoff));
    fixture.componentInstance.putBack.subscribe((wanted) => back.push(wanted));
    expect([...element.querySelectorAll('.chip')].map((chip) => chip.textContent.trim())).toEqual([
      'form key',
      'clock, ms',
      'Containers · number',
    ]);
    click('Show its string');
    expect(chosen).toEqual(['h1']);
    click('Send as recorded everywhere');
    expect(back).toEqual([{ everywhere: true, piece: { kind: 'handoff', handoff: 'h1' } }]);
  });
});

describe('two answers beside each other', () => {
  const rows = [
    { kind: 'same', left: ['1', '2', '3', '4', '5', '6', '7'], right: ['1', '2', '3', '4', '5', '6', '7'], why: [] },
    { kind: 'harmless', left: ['key=a'], right: ['key=b'], why: ['the handoff key'] },
    { kind: 'differs', left: ['stored'], right: ['refused'], why: [] },
  ];

  it('fold what is the same and what moves anyway, and open it where that is asked for', () => {
    const { element, click } = render(DifferenceView, { rows });
    const shown = () => [...element.querySelectorAll('pre, .fold')].map((part) => part.textContent);
    expect(element.textContent).toContain('1 place differs.');
    expect(shown()).toEqual(['5 lines the same', '6\n7', '6\n7', '1 line differs only in the handoff key', 'stored', 'refused']);
    click('1 line differs only in');
    expect(shown()).toContain('key=b');
    click('5 lines the same');
    expect(shown()[0]).toContain('1\n2\n3');
  });
});

describe('strings', () => {
  const strings = [
    {
      handoff: { id: 'h1', name: 'form key', evidence: 'proven' },
      hue: 0,
      lane: 0,
      originY: 20,
      againY: [],
      uses: [
        { step: 's2', y: 60 },
        { step: 's3', y: 100 },
      ],
    },
    {
      handoff: { id: 'h2', name: 'version', evidence: 'likely' },
      hue: 1,
      lane: 1,
      originY: 20,
      againY: [40],
      uses: [{ step: 's2', y: 60 }],
    },
  ];

  it('are told by name, colour, uses and evidence; one is isolated, a stale use is snapped', () => {
    const { element, fixture } = render(Strings, { strings, height: 200, isolated: 'h2', stale: new Set(['h1 s3']) });
    const threads = [...element.querySelectorAll('.thread')];
    expect(threads.map((thread) => thread.getAttribute('aria-label'))).toEqual([
      'form key, teal string, 2 uses, proven',
      'version, clay string, 1 use, read again at 1 more, likely',
    ]);
    expect(threads.map((thread) => thread.classList.contains('faded'))).toEqual([true, false]);
    expect(threads.map((thread) => thread.querySelectorAll('[stroke="var(--red)"]').length)).toEqual([2, 0]);
    const chosen: string[] = [];
    fixture.componentInstance.chosen.subscribe((handoff) => chosen.push(handoff));
    threads[1]?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    expect(chosen).toEqual(['h2']);
  });
});

describe('exchanges', () => {
  const exchange = (n: number, method: string, path: string, status: number) =>
    ({
      kind: 'request',
      n,
      method,
      url: `http://127.0.0.1:1${path}`,
      startedAtMs: n * 10,
      durationMs: 5,
      requestHeaders: [],
      response: { status, headers: [], body: null },
    }) as unknown as Exchange;
  const sent: Exchange = {
    kind: 'message',
    n: 3,
    url: 'http://127.0.0.1:1/line',
    startedAtMs: 30,
    durationMs: 5,
    openedBy: 1,
    action: 'send',
    format: 'text',
    same: [],
    sent: { hash: 's', size: 5, mimeType: 'text/plain' },
    answer: { hash: 'a', size: 2048, mimeType: 'application/json' },
  };
  const inputs = {
    exchanges: [exchange(1, 'GET', '/a', 200), exchange(2, 'POST', '/b', 409), sent],
    marks: [{ kind: 'begin', atMs: 15, text: 'Book' }],
  };

  it('stand in time order with their marks, and are filtered by address, method, status and host', () => {
    const { fixture } = render(ExchangeTable, inputs);
    const table = fixture.componentInstance;
    expect(table.rows().map((row) => (row.kind === 'mark' ? row.mark.text : row.exchange.n))).toEqual([1, 'Book', 2, 3]);
    for (const [filter, numbers] of [
      ['get', [1]],
      ['/b', [2]],
      ['send', [3]],
      ['nothing', []],
    ] as const) {
      table.filter.set(filter);
      expect(table.rows().map((row) => (row.kind === 'exchange' ? row.exchange.n : 'mark'))).toEqual(numbers);
    }
    table.filter.set('');
    table.status.set('4');
    expect(table.shown()).toBe(1);
    table.host.set('elsewhere');
    expect(table.shown()).toBe(0);
  });

  it('that are messages have a size and no status, so that they have not failed', () => {
    const { fixture } = render(ExchangeTable, inputs);
    const table = fixture.componentInstance;
    expect(
      inputs.exchanges.map((listed) => [table.verb(listed), table.statusOf(listed), table.failed(listed), table.answer(listed)?.size]),
    ).toEqual([
      ['GET', '200', false, undefined],
      ['POST', '409', true, undefined],
      ['SEND', '', false, 2048],
    ]);
    table.type.set('sockets and streams');
    expect(table.shown()).toBe(1);
  });
});
