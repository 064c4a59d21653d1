import {
  boundColumns,
  correlate,
  editScript,
  readScript,
  requestSteps,
  scriptFromTake,
  writeScript,
  type Check,
  type LoadedTake,
  type Script,
  type Step,
} from '../../index.js';
import { everything } from '../../tidy/tidy.schema.js';
import { form, html, TakeBuilder } from '../../test/take-builder.js';

const correlated = (first: LoadedTake, second: LoadedTake): Script =>
  correlate(scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }), first, second).script;

describe('a script as text', () => {
  const make = (value: string, id: string) =>
    new TakeBuilder()
      .add(['GET', '/p'], [200, html, `<input type=hidden name=key value="${value}"><a id=n href="/t/${id}">x</a>`])
      .add(
        ['POST', `/t/${id}?a=~{x}&b=~~`, form, `key=${value}&doc=${encodeURIComponent(`{"k":"${value}","n":"}~"}`)}&t=1`],
        [200, html, ''],
      )
      .load();
  const script = correlated(make('k-93fa20', '4711'), make('k-11bb42', '4712'));
  const base = { id: script.id, projectId: script.projectId, takeId: script.takeId, secondTakeId: script.secondTakeId };

  it('reads back to the same script, whatever signs the texts hold', () => {
    const text = writeScript(script);
    expect(text).toContain('~{key}');
    expect(readScript(text, base)).toEqual({ script, files: new Map() });
  });

  it('reads back where two handoffs are read in the same way', () => {
    const two = {
      ...script,
      handoffs: script.handoffs.flatMap((handoff) => [handoff, { ...handoff, id: `${handoff.id}b`, name: `${handoff.name} again` }]),
    };
    expect(readScript(writeScript(two), base)).toEqual({ script: two, files: new Map() });
  });

  it('reads back with every kind of step and check, and what is played once by each user', () => {
    const piece = { kind: 'handoff' as const, handoff: script.handoffs[0]?.id ?? '', recorded: script.handoffs[0]?.recorded ?? '' };
    const moving = [
      { kind: 'text' as const, text: 'a ~{b} ' },
      piece,
      { kind: 'data' as const, table: 't', column: 'c', recorded: 'was' },
      { kind: 'data' as const, table: 't', column: 'c', as: 'dd.MM.yyyy', recorded: '25.11.2026' },
      { ...piece, as: '[1..4]', recorded: 'k-93' },
      { kind: 'variable' as const, name: 'a|b', as: '#,0.00', recorded: '1,000.00' },
    ];
    const condition = { left: moving, is: 'contains' as const, right: [] };
    const extractor = { kind: 'jsonpath' as const, path: '$..id', pick: 'any' as const };
    const checked: Check['checked'][] = [
      { kind: 'text', text: moving, present: true },
      { kind: 'text', text: moving, present: false },
      { kind: 'value', extractor, is: 'less', than: moving },
      { kind: 'value', extractor, is: 'filled', than: [] },
      { kind: 'count', extractor, atLeast: 1, atMost: null },
      { kind: 'status', statuses: [200, 201] },
      { kind: 'redirect', to: moving },
      { kind: 'size', atLeast: 3, atMost: 9 },
      { kind: 'time', atMostMs: 100 },
    ];
    const [first] = requestSteps(script);
    if (!first) throw new Error('there is a step');
    const steps: Step[] = [
      { kind: 'pause', id: 'p', ms: 5, spread: { kind: 'log-normal', sigma: 0.4 } },
      { kind: 'log', id: 'l', text: moving },
      { kind: 'variable', id: 'v', name: 'x', value: moving },
      { kind: 'cookie', id: 'k', action: 'set', origin: 'http://127.0.0.1:1', name: 'n', value: moving },
      { kind: 'code', id: 'j', name: 'J', source: 'log(1);\nfail("x")', timeMs: 50, memoryMb: 32 },
      { kind: 'meet', id: 'm', name: 'M', users: 5, atMostMs: 900 },
      { kind: 'when', id: 'w', name: 'W', condition, steps: [{ kind: 'comment', id: 'c', text: 'inside' }] },
      {
        kind: 'repeat',
        id: 'r',
        name: 'R',
        times: 3,
        pauseMs: 1,
        loop: { kind: 'while', condition },
        steps: [{ kind: 'pause', id: 'q', ms: 1 }],
      },
      {
        kind: 'repeat',
        id: 'o',
        name: 'O',
        times: 9,
        pauseMs: 0,
        loop: { kind: 'each-row', table: 'rows' },
        steps: [{ kind: 'comment', id: 'i', text: 'x' }],
      },
      {
        kind: 'repeat',
        id: 'e',
        name: 'E',
        times: 3,
        pauseMs: 1,
        loop: { kind: 'each-match', step: first.step.id, extractor, variable: 'row' },
        steps: [
          {
            ...first.step,
            id: 'checked',
            checks: checked.map((check, at) => ({
              id: `c${at}`,
              checked: check,
              onFailure: (['mark', 'next-iteration', 'stop-user'] as const)[at % 3] ?? 'mark',
            })),
          },
        ],
      },
    ];
    const all: Script = {
      ...script,
      transactions: [...script.transactions, { kind: 'transaction', id: 'last', name: 'Sign out', phase: 'after', steps }],
    };
    expect(readScript(writeScript(all), base)).toEqual({ script: all, files: new Map() });
    expect([...boundColumns(all)]).toEqual([
      ['t', new Set(['c'])],
      ['rows', new Set()],
    ]);
    const back = editScript(all, { kind: 'put-back', step: null, piece: { kind: 'handoff', handoff: piece.handoff } });
    expect(JSON.stringify(back)).not.toContain(`"handoff":"${piece.handoff}"`);
  });

  it.each([
    ['an unknown name', (text: string) => text.replace('~{key}', '~{kee}'), 'Nothing is called “kee”'],
    ['a piece that is not closed', (text: string) => text.replace('~{key}', '~{key'), 'not closed'],
    [
      'a form that is none',
      (text: string) => text.replace('~{key}', '~{key|0,000}'.replace('0,000', '[x]')),
      '“[x]” is no form of a value',
    ],
    ['a step of no kind', (text: string) => text.replace('request: POST', 'requst: POST'), 'requst'],
    ['two steps of one id', (text: string) => text.replace('id: s2', 'id: s1'), 'used twice'],
    ['a handoff from nowhere', (text: string) => text.replace('from: s1', 'from: s9'), 'No step has the id “s9”'],
    ['what is no YAML', (text: string) => text.replace('transactions:', 'transactions: ]'), 'This is no YAML'],
  ])('says with line and column where it has %s', (_name, spoil, sentence) => {
    const text = spoil(writeScript(script));
    const read = readScript(text, base);
    if (!('problems' in read)) throw new Error('it was read');
    expect(read.problems.map((problem) => problem.message).join('\n')).toContain(sentence);
    expect(read.problems[0]?.line).toBeGreaterThan(0);
    expect(read.problems[0]?.column).toBeGreaterThan(0);
  });
});
