import {
  actionSteps,
  correlate,
  exportHar,
  importHar,
  jsonAt,
  kindWords,
  readScript,
  requestSteps,
  scriptFromTake,
  surveyTake,
  unfoldSockets,
  verbOf,
  writeScript,
  type LoadedTake,
  type MessageStep,
  type RequestStep,
  type Script,
} from '../index.js';
import { message, talk } from '../test/talk.js';

const messagesOf = ({ exchanges, readBody }: LoadedTake) =>
  exchanges
    .filter((exchange) => exchange.kind === 'message')
    .map((exchange) => [
      verbOf(exchange),
      exchange.sent && readBody(exchange.sent.hash),
      exchange.answer && readBody(exchange.answer.hash),
    ]);
const scriptOf = (loaded: LoadedTake): Script => scriptFromTake(loaded, { scriptId: 's', name: 'S', tidy: surveyTake(loaded).proposal });
const messagesIn = (script: Script): MessageStep[] => actionSteps(script).flatMap(({ step }) => (step.kind === 'message' ? [step] : []));
const openingIn = (script: Script): RequestStep | undefined =>
  requestSteps(script).find(({ step }) => step.opensSocket !== undefined)?.step;

describe('messages over a WebSocket become exchanges', () => {
  it('each that was sent with its answer, each that came unasked, and the end, in time order among the others', () => {
    const loaded = talk([
      message(250, 'server', '{"type":"hello"}'),
      message(300, 'client', 'first'),
      message(320, 'server', 'answer'),
      message(330, 'server', 'more'),
      message(400, 'client', 'no answer'),
      message(950, 'client', '1000 bye', 'close'),
    ]);
    expect(messagesOf(loaded)).toEqual([
      ['AWAIT', null, '{"type":"hello"}'],
      ['SEND', 'first', 'answer'],
      ['AWAIT', null, 'more'],
      ['SEND', 'no answer', null],
      ['CLOSE', null, null],
    ]);
    expect(loaded.exchanges.map((exchange) => exchange.n)).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
    expect(loaded.exchanges.map(verbOf)).toEqual(['GET', 'GET', 'AWAIT', 'SEND', 'AWAIT', 'SEND', 'POST', 'CLOSE']);
    expect(loaded.exchanges[3]?.durationMs).toBe(20);
  });

  it('answers are told by what they repeat, though others came first', () => {
    const loaded = talk([
      message(300, 'client', '{"id":1,"op":"a"}'),
      message(310, 'client', '{"id":2,"op":"b"}'),
      message(320, 'server', '{"news":true}'),
      message(330, 'server', '{"id":2,"ok":true}'),
      message(340, 'server', '{"id":1,"ok":true}'),
    ]);
    expect(messagesOf(loaded)).toEqual([
      ['SEND', '{"id":1,"op":"a"}', '{"id":1,"ok":true}'],
      ['SEND', '{"id":2,"op":"b"}', '{"id":2,"ok":true}'],
      ['AWAIT', null, '{"news":true}'],
    ]);
    expect(openingIn(scriptOf(loaded))).toMatchObject({ name: 'GET /line', opensSocket: 'line' });
    expect(messagesIn(scriptOf(loaded))).toMatchObject([
      { action: 'send', socket: 'line', awaits: { same: ['/id'] } },
      { action: 'send', socket: 'line', awaits: { same: ['/id'] } },
    ]);
  });

  it('a take without one stays as it is, and one that was unfolded can be again', () => {
    const loaded = talk([message(300, 'client', 'a'), message(310, 'server', 'b')]);
    const shelf = { put: () => ({ hash: '', size: 0, mimeType: '' }) };
    expect(unfoldSockets(loaded.exchanges.slice(0, 1), shelf).exchanges).toEqual(loaded.exchanges.slice(0, 1));
    expect(unfoldSockets(loaded.exchanges, shelf).exchanges.map((exchange) => exchange.n)).toEqual(
      loaded.exchanges.map((exchange) => exchange.n),
    );
  });

  it('a HAR holds them in the entry of their handshake, and gives them back (HAR 1.2 with messages as browsers write them)', () => {
    const loaded = talk([message(300, 'client', '{"id":1}'), message(310, 'server', '{"id":1}'), message(500, 'server', 'news')]);
    const shelf = {
      put: (bytes: Uint8Array, mimeType: string) => ({ hash: new TextDecoder().decode(bytes), size: bytes.length, mimeType }),
    };
    const written = exportHar(loaded.take, loaded.exchanges, () => undefined);
    expect((written.log['entries'] as unknown[]).length).toBe(3);
    const again = unfoldSockets(importHar(written, shelf).exchanges, shelf);
    expect(again.exchanges.map((exchange) => [exchange.n, verbOf(exchange), Math.round(exchange.durationMs)])).toEqual(
      loaded.exchanges.map((exchange) => [exchange.n, verbOf(exchange), Math.round(exchange.durationMs)]),
    );
  });
});

describe('what a message is known by', () => {
  it('places are read as JSON Pointers (RFC 6901, section 5)', () => {
    const document = JSON.stringify({
      foo: ['bar', 'baz'],
      '': 0,
      'a/b': 1,
      'c%d': 2,
      'e^f': 3,
      'g|h': 4,
      'i\\j': 5,
      'k"l': 6,
      ' ': 7,
      'm~n': 8,
    });
    const found = ['/foo', '/foo/0', '/', '/a~1b', '/c%d', '/e^f', '/g|h', '/i\\j', '/k"l', '/ ', '/m~0n', '/none'].map((pointer) =>
      jsonAt(document, pointer),
    );
    expect(found).toEqual(['["bar","baz"]', '"bar"', '0', '1', '2', '3', '4', '5', '6', '7', '8', undefined]);
    expect(jsonAt('no JSON', '/foo')).toBeUndefined();
  });

  it('its kind is a word that it says of itself, never an id', () => {
    const words = (said: string) => kindWords(said).map((word) => [word.path, word.word]);
    expect(words('{"id":7,"type":"load.claimed","name":"Mara"}')).toEqual([['$.type', 'load.claimed']]);
    expect(words('["changed",{"id":7}]')).toEqual([['$[0]', 'changed']]);
    expect(words('{"type":"8f31-77"}')).toEqual([]);
    expect(words('CONNECTED\nversion:1.2')).toEqual([[null, 'CONNECTED']]);
    expect(words('42["claimed",{"id":7}]')).toEqual([[null, '42["claimed"']]);
    expect(words('20418')).toEqual([]);
  });
});

describe('a script of them', () => {
  const flow = (ticket: string, cursor: string, seal: string, news: string) =>
    talk(
      [
        message(250, 'server', `{"type":"hello","cursor":"${cursor}"}`),
        message(280, 'server', `{"type":"temperature","of":"${news}"}`),
        message(300, 'client', `{"type":"claim","id":1,"cursor":"${cursor}"}`),
        message(320, 'server', `{"id":1,"type":"claimed","seal":"${seal}"}`),
        message(950, 'client', '1000', 'close'),
      ],
      `{"seal":"${seal}"}`,
      `<div data-ticket="${ticket}"></div>`,
    );
  const first = flow('t-81f2c4', 'c-55a1b2', 's-90ff31', 'bay-17a');
  const second = flow('t-7703aa', 'c-11d0e9', 's-4ac772', 'bay-99b');

  it('hands on what one message gives to the next, and leaves out what nobody needs', () => {
    const survey = surveyTake(first);
    expect(survey.findings.map((finding) => finding.kind)).toEqual(['unasked']);
    // It is left out until the tester says otherwise.
    expect(survey.findings[0]?.action?.drop).toEqual(survey.proposal.dropped);
    // The address is part of the flow, so the handshake of the second take has its own ticket.
    for (const exchange of second.exchanges) exchange.url = exchange.url.replace('t-81f2c4', 't-7703aa');
    const { script } = correlate(scriptOf(first), first, second, []);
    const read = script.handoffs.map((handoff) => [
      handoff.recorded,
      actionSteps(script).find(({ step }) => step.id === handoff.origin)?.step.name,
    ]);
    expect(read).toEqual([
      ['t-81f2c4', 'GET /desk'],
      ['c-55a1b2', 'AWAIT hello /line'],
      ['s-90ff31', 'SEND claim /line'],
    ]);
    expect(messagesIn(script).map((step) => step.name)).toEqual(['AWAIT hello /line', 'SEND claim /line', 'CLOSE /line']);
    const [hello] = messagesIn(script);
    // Keys and versions are made anew by whoever opens a WebSocket; the protocol of the application stays.
    expect(openingIn(script)?.headers.map((header) => header.name)).toEqual(['Sec-WebSocket-Protocol']);
    expect(hello).toMatchObject({
      action: 'await',
      awaits: { holds: [{ kind: 'value', is: 'equals', than: [{ text: 'hello' }] }] },
    });
    expect(script.unsure).toEqual([]);
  });

  it('is the same after it was written as text and read again', () => {
    const script = scriptOf(first);
    const read = readScript(writeScript(script), { id: 's', projectId: 'p', takeId: 't', secondTakeId: null });
    expect('script' in read && read.script.transactions).toEqual(script.transactions);
  });
});
