import type { Handoff, RequestStep, Script, Step, Template } from '@sturdy/core';
import { endOf, isReadAt, laneCount, layRows, layStrings, usesHandoff } from './string-layout';

const text = (value: string): Template => [{ kind: 'text', text: value }];
const sends = (handoff: string): Template => [{ kind: 'handoff', handoff, recorded: 'x' }];
const request = (id: string, url: Template = text('/')): RequestStep => ({
  kind: 'request',
  id,
  name: id,
  exchange: null,
  method: 'GET',
  origin: 'http://127.0.0.1:1',
  url,
  headers: [],
  body: null,
  bodyFile: null,
  expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
  followRedirects: false,
});
const handoff = (id: string, origin: string, also: string[] = []) =>
  ({ id, name: id, origin, also: also.map((step) => ({ step })) }) as unknown as Handoff;
const script = (steps: Step[], handoffs: Handoff[] = [], more: Step[] = []) =>
  ({
    id: 's',
    transactions: [
      { kind: 'transaction', id: 't1', name: 'Sign in', steps },
      { kind: 'transaction', id: 't2', name: 'Book', steps: more },
    ],
    handoffs,
    made: [],
  }) as unknown as Script;
const pause: Step = { kind: 'pause', id: 'p1', ms: 500 } as unknown as Step;

describe('the rows of a script', () => {
  it('stand below each other without a gap, in the order in which they are played', () => {
    const rows = layRows(script([request('a'), pause, request('b')], [], [request('c')]));
    expect(rows.map(({ id }) => id)).toEqual(['t1', 'a', 'p1', 'b', 't2', 'c']);
    let bottom = 0;
    for (const { top, height } of rows) {
      expect(top).toBe(bottom);
      bottom = top + height;
    }
  });

  it('number the steps that send something, through all transactions, and nothing else', () => {
    const rows = layRows(script([request('a'), pause, request('b')], [], [request('c')]));
    expect(rows.flatMap((row) => (row.kind === 'action' ? [[row.id, row.number]] : []))).toEqual([
      ['a', 1],
      ['b', 2],
      ['c', 3],
    ]);
  });

  it('are moved in as deep as they stand in containers', () => {
    const inner = { kind: 'loop', id: 'l2', steps: [request('b')] } as unknown as Step;
    const loop = { kind: 'loop', id: 'l1', steps: [request('a'), inner] } as unknown as Step;
    const rows = layRows(script([loop, request('c')]));
    expect(rows.flatMap((row) => (row.kind === 'transaction' ? [] : [[row.id, row.depth]]))).toEqual([
      ['l1', 0],
      ['a', 1],
      ['l2', 1],
      ['b', 2],
      ['c', 0],
    ]);
  });

  it('have a dot for each moving piece, once however often it is sent and however deeply it is wrapped', () => {
    const url: Template = [
      ...sends('h1'),
      { kind: 'wrap', encoding: 'form', recorded: 'x', pieces: [...sends('h1'), { kind: 'made', made: 'm1', recorded: '7' }] },
      { kind: 'data', table: 'd1', column: 'number', recorded: 'N1' },
    ];
    const [row] = layRows(
      script([{ ...request('a', url), body: { ...({ kind: 'text' } as object), template: sends('h1') } as never }]),
    ).slice(1);
    if (row?.kind !== 'action') throw new Error('It is no action.');
    expect(row.pieces).toEqual([
      { kind: 'handoff', handoff: 'h1' },
      { kind: 'made', handoff: null },
      { kind: 'data', handoff: null },
    ]);
  });
});

/** The strings of a script of ten requests, by name. */
function strung(handoffs: Handoff[], uses: Record<string, string[]>) {
  const steps = Array.from({ length: 10 }, (_, at) => {
    const id = `r${at}`;
    return request(
      id,
      Object.entries(uses).flatMap(([name, users]) => (users.includes(id) ? sends(name) : [])),
    );
  });
  const made = script(steps, handoffs);
  const rows = layRows(made);
  const middle = (id: string) => {
    const row = rows.find((shown) => shown.id === id);
    return row ? row.top + row.height / 2 : NaN;
  };
  return { strings: layStrings(made, rows), middle };
}

describe('strings', () => {
  it('run from the middle of the row that reads to those that send, and by those that read again', () => {
    const { strings, middle } = strung([handoff('h1', 'r0', ['r3'])], { h1: ['r1', 'r4'] });
    expect(strings).toMatchObject([
      {
        originY: middle('r0'),
        againY: [middle('r3')],
        uses: [
          { step: 'r1', y: middle('r1') },
          { step: 'r4', y: middle('r4') },
        ],
      },
    ]);
    expect(strings.map(endOf)).toEqual([middle('r4')]);
  });

  it('end where they begin while nothing sends them', () => {
    const { strings, middle } = strung([handoff('h1', 'r2')], {});
    expect(strings.map(endOf)).toEqual([middle('r2')]);
  });

  it('share a lane where they do not meet, and never where they do', () => {
    const { strings } = strung([handoff('early', 'r0'), handoff('late', 'r5'), handoff('all', 'r0')], {
      early: ['r2'],
      late: ['r7'],
      all: ['r9'],
    });
    const lane = new Map(strings.map((string) => [string.handoff.id, string.lane]));
    expect(lane.get('early')).toBe(lane.get('late'));
    expect(lane.get('all')).not.toBe(lane.get('early'));
    // The short ones lie inside.
    expect(lane.get('all')).toBeGreaterThan(lane.get('early') ?? Infinity);
  });

  it('take the outermost lane together where there are more of them than lanes', () => {
    const names = Array.from({ length: laneCount + 3 }, (_, at) => `h${at}`);
    const { strings } = strung(
      names.map((name) => handoff(name, 'r0')),
      Object.fromEntries(names.map((name, at) => [name, [`r${at + 1}`]])),
    );
    expect(strings.map(({ lane }) => lane)).toEqual([0, 1, 2, 3, 4, 4, 4, 4]);
  });

  it('keep their colour by their place, so that a change of one recolours no other', () => {
    const names = Array.from({ length: 9 }, (_, at) => `h${at}`);
    const { strings } = strung(
      names.map((name) => handoff(name, 'r0')),
      {},
    );
    expect(strings.map(({ hue }) => hue)).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 0]);
  });
});

describe('a handoff and a step', () => {
  it('know each other: it is read there, again there, sent there', () => {
    const wanted = handoff('h1', 'r0', ['r3']);
    expect(['r0', 'r1', 'r3'].map((step) => isReadAt(wanted, step))).toEqual([true, false, true]);
    expect([usesHandoff(request('r4', sends('h1')), 'h1'), usesHandoff(request('r4', sends('h2')), 'h1')]).toEqual([true, false]);
  });
});
