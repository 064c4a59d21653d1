import { allSteps, editScript, expectationOf, requestSteps, scriptFromTake, type Mark, type Script, type Step } from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { html, json, TakeBuilder } from '../test/take-builder.js';

const css: [string, string][] = [['Content-Type', 'text/css']];
/** Requests start at 100, 200, … ms and take 10 ms. */
const take = (marks: Mark[]) => {
  const loaded = new TakeBuilder()
    .add(['GET', '/'], [200, html, '<title>Home 12</title>'])
    .add(['GET', '/style.css'], [200, css, ''])
    .add(['GET', '/list'], [304, html])
    .add(['POST', '/save'], [303, [['Location', '/things/77?from=list']]])
    .add(['GET', '/answer.xml'], [200, [['Content-Type', 'text/xml']], '<?xml version="1.0"?><m:done xmlns:m="x"/>'])
    .load();
  return { ...loaded, take: { ...loaded.take, marks } };
};
const options = { scriptId: 's', name: 'S', tidy: { ...everything, staticFiles: 'drop' as const, longestPauseMs: 150 } };
const shape = (script: Script) => script.transactions.map((transaction) => [transaction.name, ...transaction.steps.map((step) => step.id)]);

describe('a script from a take', () => {
  it('takes transactions from marks, pauses from gaps, comments from notes, and leaves static files out', () => {
    const script = scriptFromTake(
      take([
        { kind: 'begin', atMs: 50, text: 'Open' },
        { kind: 'end', atMs: 250, text: 'Open' },
        { kind: 'comment', atMs: 350, text: 'Now it counts' },
        { kind: 'begin', atMs: 380, text: 'Save' },
      ]),
      options,
    );
    // What starts after an end belongs to the transaction before it, until the next begins. The gap from the first to the
    // third request is 190 ms and capped to 150; gaps below 100 ms are no pauses.
    expect(shape(script)).toEqual([
      ['Open', 's1', 'p3', 's3'],
      ['Save', 'c3', 's4', 's5'],
    ]);
    expect(script.transactions[0]?.steps[1]).toMatchObject({ kind: 'pause', ms: 150 });
  });

  it('is one transaction named by the take where nothing was marked, and can leave hosts out', () => {
    expect(shape(scriptFromTake(take([]), options)).map(([name]) => name)).toEqual(['flow']);
    expect(scriptFromTake(take([]), { ...options, tidy: { ...options.tidy, leftOut: ['http://127.0.0.1:9'] } }).transactions).toEqual([]);
  });

  it('expects what the take showed: status, kind, title without its moving words, redirect shape, root element', () => {
    const { exchanges, readBody } = take([]);
    expect(exchanges.map((exchange) => expectationOf(exchange, readBody))).toEqual([
      { statuses: [200], content: 'html', title: 'Home *', redirect: null, rootElement: null },
      { statuses: [200], content: 'text', title: null, redirect: null, rootElement: null },
      { statuses: [200, 304], content: null, title: null, redirect: null, rootElement: null },
      { statuses: [303], content: null, title: null, redirect: '/things/*?from', rootElement: null },
      { statuses: [200], content: 'xml', title: null, redirect: null, rootElement: 'done' },
    ]);
  });
});

describe('editing', () => {
  const script = scriptFromTake(
    take([
      { kind: 'begin', atMs: 0, text: 'A' },
      { kind: 'begin', atMs: 350, text: 'B' },
    ]),
    { ...options, tidy: { ...options.tidy, longestPauseMs: 0 } },
  );

  it('renames a script, a transaction and a step', () => {
    const renamed = ['s', 't2', 's4'].reduce((changed, id) => editScript(changed, { kind: 'rename', id, name: `new ${id}` }), script);
    expect([renamed.name, renamed.transactions[1]?.name, requestSteps(renamed).find(({ step }) => step.id === 's4')?.step.name]).toEqual([
      'new s',
      'new t2',
      'new s4',
    ]);
    expect(script.name).toBe('S');
  });

  it('moves steps within and across transactions, and transactions among each other', () => {
    const moved = (id: string, by: 1 | -1) => shape(editScript(script, { kind: 'move', id, by }));
    expect(moved('s1', 1)).toEqual([
      ['A', 's3', 's1'],
      ['B', 's4', 's5'],
    ]);
    expect(moved('s3', 1)).toEqual([
      ['A', 's1'],
      ['B', 's3', 's4', 's5'],
    ]);
    expect(moved('s4', -1)).toEqual([
      ['A', 's1', 's3', 's4'],
      ['B', 's5'],
    ]);
    expect(moved('t2', -1).map(([name]) => name)).toEqual(['B', 'A']);
    expect(moved('s1', -1)).toEqual(shape(script));
  });

  it('inserts steps with ids of their own, and pieces that are unknown here as what was recorded', () => {
    const log: Step = { kind: 'log', id: 's1', text: [{ kind: 'handoff', handoff: 'h9', recorded: 'k-1' }] };
    const inserted = editScript(script, { kind: 'insert', after: 's3', steps: [log, log] });
    expect(shape(inserted)[0]).toEqual(['A', 's1', 's3', 's1-2', 's1-3']);
    expect(inserted.transactions[0]?.steps[2]).toMatchObject({ text: [{ kind: 'text', text: 'k-1' }] });
    expect(shape(editScript(script, { kind: 'insert', after: 't2', steps: [log] }))[1]).toEqual(['B', 's1-2', 's4', 's5']);
    expect(shape(editScript(script, { kind: 'insert-transaction', after: 't1', name: 'Between' })).map(([name]) => name)).toEqual([
      'A',
      'Between',
      'B',
    ]);
  });

  it('moves several steps at once, wraps them, and takes a container away again', () => {
    expect(shape(editScript(script, { kind: 'move-to', ids: ['s4', 's1'], after: 's5' }))).toEqual([
      ['A', 's3'],
      ['B', 's5', 's1', 's4'],
    ]);
    expect(editScript(script, { kind: 'move-to', ids: ['s4'], after: 's4' })).toBe(script);
    const container = { kind: 'repeat' as const, id: 'r', name: 'R', times: 2, pauseMs: 0 };
    const wrapped = editScript(script, { kind: 'wrap', ids: ['s1', 's3'], container });
    expect(wrapped.transactions[0]?.steps).toMatchObject([{ kind: 'repeat', steps: [{ id: 's1' }, { id: 's3' }] }]);
    const inside = editScript(wrapped, { kind: 'insert', after: 's1', steps: [{ kind: 'comment', id: 'c', text: 'x' }] });
    expect(allSteps(inside.transactions[0]?.steps ?? []).map((step) => step.id)).toEqual(['r', 's1', 'c', 's3']);
    expect(editScript(inside, { kind: 'move-to', ids: ['r'], after: 's1' })).toBe(inside);
    const alone = editScript(script, { kind: 'wrap', ids: ['s1'], container });
    expect(shape(editScript(alone, { kind: 'move-to', ids: ['s1'], after: 'r' }))[0]).toEqual(['A', 's1', 's3']);
    const changed = editScript(inside, { kind: 'set-step', step: { ...container, times: 5, steps: [] } });
    expect(allSteps(changed.transactions[0]?.steps ?? []).length).toBe(4);
    expect(shape(editScript(inside, { kind: 'unwrap', id: 'r' }))[0]).toEqual(['A', 's1', 'c', 's3']);
    expect(shape(editScript(inside, { kind: 'delete-all', ids: ['s1', 'c', 's3', 's5'] }))).toEqual([['A'], ['B', 's4']]);
  });

  it('says what is played once by each user, and takes checks', () => {
    const before = editScript(script, { kind: 'set-phase', id: 't1', phase: 'before' });
    expect(before.transactions.map((transaction) => transaction.phase)).toEqual(['before', undefined]);
    expect(editScript(before, { kind: 'set-phase', id: 't1', phase: undefined })).toEqual(script);
    const check = { id: 'c', checked: { kind: 'time' as const, atMostMs: 500 }, onFailure: 'mark' as const };
    const checked = editScript(script, {
      kind: 'add-checks',
      checks: [
        { step: 's1', check },
        { step: 's1', check },
      ],
    });
    expect(requestSteps(checked)[0]?.step.checks?.map((check) => check.id)).toEqual(['c', 'check-2']);
    expect(editScript(checked, { kind: 'set-checks', id: 's1', checks: [] })).toEqual(script);
  });

  it('deletes a step, and a transaction with all of its steps', () => {
    expect(shape(editScript(script, { kind: 'delete', id: 's1' }))).toEqual([
      ['A', 's3'],
      ['B', 's4', 's5'],
    ]);
    expect(shape(editScript(script, { kind: 'delete', id: 't1' }))).toEqual([['B', 's4', 's5']]);
  });

  it('keeps a JSON answer that is only data out of what it expects of titles', () => {
    const loaded = new TakeBuilder().add(['GET', '/a'], [200, json, '{"title":"x"}']).load();
    const [exchange] = loaded.exchanges;
    expect(exchange && expectationOf(exchange, loaded.readBody)).toMatchObject({ content: 'json', title: null });
  });
});
