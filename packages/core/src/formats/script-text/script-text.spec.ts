import {
  boundColumns,
  correlate,
  editScript,
  makePart,
  partIn,
  readPart,
  readScript,
  requestSteps,
  scriptFromTake,
  writePart,
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

describe('a script that somebody writes', () => {
  const base = { id: 's', projectId: 'p', takeId: '', secondTakeId: null };
  const read = (text: string) => {
    const script = readScript(text, base);
    if ('problems' in script) throw new Error(JSON.stringify(script.problems));
    return script.script;
  };
  const wrong = (text: string) => {
    const script = readScript(text, base);
    return 'problems' in script ? script.problems.map(({ line, column, message }) => `${line}:${column} ${message}`) : [];
  };
  const stepsOf = (steps: string, top = 'origin: http://127.0.0.1:4701\n') =>
    `script: 1\nname: Look\n${top}transactions:\n  - transaction: Look\n    steps:\n${steps}`;

  it('says only what is not usual', () => {
    const script = read(
      stepsOf(
        [
          '      - request: GET /desk?bay=~{variable:bay}',
          '      - cookie: look',
          '        value: wide',
          '      - repeat: Until the bay is free',
          '        while: { left: "~{variable:bay}", is: equals, right: none }',
          '        steps:',
          '          - request: POST /bays',
          '      - meet: All together',
          '        users: 3',
          '      - message: AWAIT ready',
          '        over: news',
          '        awaits: {}',
          '',
        ].join('\n'),
      ).concat(
        'handoffs:\n  ticket:\n    from: s-get-desk-bay-variable-bay\n    extractor: { kind: jsonpath, path: $.ticket }\n  key:\n    from: s-post-bays\n    extractor: { kind: field, name: formKey }\n',
      ),
    );
    const [desk, cookie, repeat, meet, message] = script.transactions[0]?.steps ?? [];
    const origin = 'http://127.0.0.1:4701';
    expect(desk).toMatchObject({ method: 'GET', origin, expect: { statuses: [200] }, followRedirects: false, headers: [] });
    expect(desk?.kind === 'request' && desk.url).toEqual([
      { kind: 'text', text: '/desk?bay=' },
      { kind: 'variable', name: 'bay', recorded: '' },
    ]);
    expect(cookie).toMatchObject({ action: 'set', origin });
    expect(repeat).toMatchObject({ times: 50, pauseMs: 0, steps: [{ method: 'POST', origin, url: [{ kind: 'text', text: '/bays' }] }] });
    expect(meet).toMatchObject({ atMostMs: 30_000 });
    expect(message).toMatchObject({ awaits: { atMostMs: 10_000 } });
    expect(script.handoffs).toMatchObject([
      { id: 'h1', evidence: 'likely', reason: '', recorded: '', extractor: { pick: 'first' } },
      { id: 'h2', extractor: { kind: 'field', nth: 0 } },
    ]);
    expect(readScript(writeScript(script), base)).toEqual({ script, files: new Map() });
  });

  it('is told what is missing, and where to write it', () => {
    expect(wrong(stepsOf('      - request: GET /desk\n', ''))).toEqual([
      expect.stringMatching(/^6:\d+ Nobody can tell where this goes\. Write its origin/),
    ]);
    expect(wrong(stepsOf('      - request: GET /desk\n', 'origin: desk\n'))).toEqual([expect.stringMatching(/^3:1 “desk” is no origin/)]);
    expect(wrong(stepsOf('      - request: GET the desk\n'))).toEqual([expect.stringMatching(/^7:9 Write its path behind the method/)]);
    expect(wrong(stepsOf('      - repeat: Again\n        steps: []\n'))).toEqual([
      expect.stringMatching(/^7:9 Write how many rounds there are/),
    ]);
    expect(wrong(stepsOf('      - cookie: look\n'))).toEqual([expect.stringMatching(/^7:9 Write the value beside it/)]);
  });

  it('is written with its origin once, and with steps that go elsewhere told', () => {
    const there = '      - request: GET /rates\n        origin: http://127.0.0.1:4702\n';
    const text = writeScript(read(stepsOf(`      - request: GET /desk\n      - request: GET /bays\n${there}`)));
    expect(text.match(/origin: .*/g)).toEqual(['origin: http://127.0.0.1:4701', 'origin: http://127.0.0.1:4702']);
    expect(text).not.toMatch(/url:|statuses:/);
  });
});

describe('a part as text', () => {
  const base = { id: 'p1', projectId: 'p' };
  const written = [
    'part: 1',
    'name: Sign out',
    'origin: http://127.0.0.1:4701',
    'steps:',
    '  - request: POST /out',
    '    body: key=~{out key}&ticket=~{ticket}&at=~{now}',
    '    recorded: { ticket: T-55, now: "1764000000000" }',
    'handoffs:',
    '  out key:',
    '    from: p1.s-post-out',
    '    extractor: { kind: jsonpath, path: $.key, pick: first }',
    'foreign:',
    '  ticket: { id: h9, kind: handoff }',
    '  now: { id: m3, kind: made }',
    '',
  ].join('\n');
  const read = (text: string) => {
    const part = readPart(text, base);
    if ('problems' in part) throw new Error(JSON.stringify(part.problems));
    return part.part;
  };

  it('has ids that belong to it, and values of the scripts that use it', () => {
    const part = read(written);
    expect(part).toMatchObject({ ...base, name: 'Sign out', handoffs: [{ id: 'p1.h1', origin: 'p1.s-post-out' }] });
    expect(part.foreign).toEqual([
      { id: 'h9', name: 'ticket' },
      { id: 'm3', name: 'now' },
    ]);
    const [step] = part.steps;
    expect(step?.kind === 'request' && step.body?.filter((piece) => piece.kind !== 'text')).toEqual([
      { kind: 'handoff', handoff: 'p1.h1', recorded: '' },
      { kind: 'handoff', handoff: 'h9', recorded: 'T-55' },
      { kind: 'made', made: 'm3', recorded: '1764000000000' },
    ]);
  });

  it('reads back to the same part, also the one that a script of two takes has', () => {
    expect(read(writePart(read(written)))).toEqual(read(written));
    const make = (value: string) =>
      new TakeBuilder()
        .add(['GET', '/in'], [200, html, `<form><input type=hidden name=key value="${value}"></form>`])
        .add(['POST', '/in', form, `key=${value}&user=ada`], [200, html, ''])
        .load();
    const part = partIn(makePart(correlated(make('k-93fa20b1'), make('k-11bb42c7')), 't1', 'p1'), 'p1');
    if (!part) throw new Error('there is no part');
    expect(part.handoffs).toHaveLength(1);
    expect(read(writePart(part))).toEqual({ ...part, projectId: 'p' });
  });

  it('has its faults told where they stand in its own text', () => {
    const wrong = readPart(written.replace('~{out key}', '~{out kee}').replace('POST /out', 'POST out'), base);
    expect('problems' in wrong && wrong.problems.map(({ line, message }) => `${line} ${message}`)).toEqual([
      expect.stringMatching(/^5 Write its path behind the method/),
      expect.stringMatching(/^6 .*“out kee”/),
    ]);
  });
});
