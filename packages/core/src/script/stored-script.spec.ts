import { readScript, scriptFromTake, StoredExchangeSchema, StoredPartSchema, StoredScriptSchema, writeScript } from '../index.js';
import { message, talk } from '../test/talk.js';
import { everything } from '../tidy/tidy.schema.js';

const take = talk([
  message(250, 'server', '{"type":"hello"}'),
  message(300, 'client', '{"type":"claim","id":1}'),
  message(320, 'server', '{"id":1,"type":"claimed"}'),
  message(950, 'client', '1000', 'close'),
]);
const script = scriptFromTake(take, { scriptId: 's', name: 'S', tidy: everything });

/** What a message was before it was a step of its own: a request with a faked status. */
const asRequest = (id: string, name: string, exchange: number, socket: object, more: object = {}) => ({
  kind: 'request',
  id,
  name,
  exchange,
  method: name.split(' ')[0],
  origin: 'http://127.0.0.1:9',
  url: [],
  headers: [],
  body: null,
  bodyFile: null,
  expect: { statuses: [101], content: 'json', redirect: null, title: null, rootElement: null },
  followRedirects: false,
  socket,
  ...more,
});
const earlier = {
  ...script,
  transactions: script.transactions.map((transaction) => ({
    ...transaction,
    steps: transaction.steps.map((step) => {
      if (step.kind === 'request' && step.opensSocket !== undefined) {
        const { opensSocket, ...rest } = step;
        return { ...rest, socket: { action: 'open', socket: opensSocket } };
      }
      if (step.kind !== 'message') return step;
      const { id, name, exchange, body, awaits } = step;
      if (step.action === 'close')
        return asRequest(id, name, exchange ?? 0, { action: 'close', socket: 'line' }, { expect: { statuses: [101], content: null } });
      return step.action === 'await'
        ? asRequest(id, name, exchange ?? 0, { action: 'await', socket: 'line', awaits })
        : asRequest(id, name, exchange ?? 0, { action: 'send', socket: 'line', format: 'text', awaits }, { body });
    }),
  })),
};

describe('what earlier versions stored', () => {
  it('reads as a script with messages of their own, in containers and parts too', () => {
    expect(JSON.stringify(earlier)).not.toContain('"kind":"message"');
    expect(StoredScriptSchema.parse(earlier)).toEqual(script);
    // What is current stays as it is.
    expect(StoredScriptSchema.parse(script)).toEqual(script);
    const [first] = earlier.transactions;
    const around = { kind: 'repeat', id: 'r', name: 'Again', times: 2, pauseMs: 0, steps: first?.steps };
    const inside = StoredScriptSchema.parse({ ...earlier, transactions: [{ ...first, steps: [around] }] }).transactions[0]?.steps[0];
    expect(inside).toMatchObject({ kind: 'repeat', steps: script.transactions[0]?.steps });
    const part = { id: 'p', projectId: 'p', name: 'P', steps: first?.steps, handoffs: [], made: [], foreign: [] };
    expect(StoredPartSchema.parse(part).steps).toEqual(script.transactions[0]?.steps);
  });

  it('reads as a script from its text', () => {
    const base = { id: 's', projectId: 'p', takeId: 't', secondTakeId: null };
    const text = `script: 1
name: Talk
transactions:
  - transaction: Talk
    id: t1
    steps:
      - request: GET /line
        id: s2
        origin: http://127.0.0.1:9
        url: /line
        expect: { statuses: [101] }
        socket: { open: line }
      - request: SEND claim
        id: s3
        origin: http://127.0.0.1:9
        url: ""
        body: '{"id":1}'
        expect: { statuses: [101], content: json, harmless: [structure] }
        socket: { send: line, awaits: { same: [/id], atMostMs: 500 } }
      - request: CLOSE line
        id: s4
        origin: http://127.0.0.1:9
        url: ""
        socket: { close: line }
`;
    const read = readScript(text, base);
    if (!('script' in read)) throw new Error(JSON.stringify(read.problems));
    const [opening, sent, closed] = read.script.transactions[0]?.steps ?? [];
    expect(opening).toMatchObject({ kind: 'request', method: 'GET', opensSocket: 'line' });
    expect(sent).toEqual({
      kind: 'message',
      id: 's3',
      name: 'SEND claim',
      exchange: null,
      socket: 'line',
      action: 'send',
      format: 'text',
      body: [{ kind: 'text', text: '{"id":1}' }],
      bodyFile: null,
      awaits: { same: ['/id'], holds: [], atMostMs: 500 },
      expect: { content: 'json', harmless: ['structure'] },
    });
    expect(closed).toMatchObject({ kind: 'message', action: 'close', socket: 'line', awaits: null });
    // It is written in the form of today, and reads back.
    const written = writeScript(read.script);
    expect(written).toMatch(/- message: SEND claim\n\s+id: s3\n\s+over: line\n/);
    expect(readScript(written, base)).toEqual(read);
  });

  it('reads as the exchanges of a take, with a kind, and without what a message never had', () => {
    const [, , , sent] = take.exchanges;
    if (sent?.kind !== 'message') throw new Error('the fourth one is a message');
    const request = take.exchanges.find((exchange) => exchange.kind === 'request');
    const { kind: _kind, ...unnamed } = request ?? sent;
    expect(StoredExchangeSchema.parse(unnamed)).toEqual(request);
    const { n, startedAtMs, durationMs, url, openedBy, action, format, same } = sent;
    expect(
      StoredExchangeSchema.parse({
        n,
        startedAtMs,
        durationMs,
        method: 'SEND',
        url,
        httpVersion: 'HTTP/1.1',
        requestHeaders: [['Content-Type', 'application/json']],
        requestBody: sent.sent,
        response: { status: 101, statusText: '', httpVersion: 'HTTP/1.1', headers: [], body: sent.answer },
        failure: null,
        timings: { blocked: -1, dns: -1, connect: -1, tls: -1, send: 0, wait: 20, receive: 0 },
        harEntry: null,
        socket: { openedBy, action, format, same },
      }),
    ).toEqual(sent);
  });
});

describe('a message as text', () => {
  const base = { id: 's', projectId: 'p', takeId: 't', secondTakeId: null };
  const problemsOf = (lines: string) => {
    const read = readScript(`script: 1\nname: T\ntransactions:\n  - transaction: T\n    steps:\n${lines}`, base);
    return 'problems' in read ? read.problems.map((problem) => [problem.line, problem.message]) : [];
  };

  it('tells what is wrong with it, and where', () => {
    expect(problemsOf('      - message: SHOUT\n        id: s1\n        over: line\n')).toEqual([
      [6, 'Write SEND, AWAIT or CLOSE first, such as “SEND claim”.'],
    ]);
    expect(problemsOf('      - message: AWAIT news\n        id: s1\n        over: line\n')).toEqual([
      [6, 'Write under “awaits” which message is waited for, and for how long.'],
    ]);
    expect(problemsOf('      - message: CLOSE it\n        id: s1\n        over: line\n        awaits: { atMostMs: 5 }\n')).toEqual([
      [9, 'A step that closes a WebSocket waits for no message. Take this out.'],
    ]);
    expect(
      problemsOf('      - message: SEND it\n        id: s1\n        over: line\n        checks:\n          - status: [200]\n'),
    ).toEqual([[10, 'A message has nothing that a check of its status could look at.']]);
  });
});
