import {
  alignTakes,
  correlate,
  layBeside,
  requestSteps,
  sentBody,
  scriptFromTake,
  usePlaces,
  type Header,
  type LoadedTake,
} from '../../index.js';
import { everything } from '../../tidy/tidy.schema.js';
import { form, html, json, TakeBuilder } from '../../test/take-builder.js';

const xml: Header[] = [['Content-Type', 'text/xml']];
const pairs = (first: LoadedTake, second: LoadedTake) => [...alignTakes(first, second)];
/** Calls to one address, each with a body. */
const calls = (target: string, headers: Header[], bodies: readonly string[]) =>
  bodies.reduce((builder, body) => builder.add(['POST', target, headers, body], [200, json, '{}']), new TakeBuilder()).load();

describe('requests to one address are paired by what they ask', () => {
  it('by the method of a remote procedure call (JSON-RPC 2.0, section 4), though one take has a call more', () => {
    const call = (method: string, id: number, more = '') => `{"jsonrpc":"2.0","method":"${method}","params":{${more}},"id":${id}}`;
    const first = calls('/rpc', json, [call('login', 1), call('list', 2), call('save', 3, '"name":"Peas"'), call('list', 4)]);
    const second = calls('/rpc', json, [
      call('login', 1),
      call('news', 2),
      call('list', 3),
      call('save', 4, '"name":"Fish"'),
      call('list', 5),
    ]);
    expect(pairs(first, second)).toEqual([
      [1, 1],
      [2, 3],
      [3, 4],
      [4, 5],
    ]);
  });

  it('by the operation of a GraphQL document (GraphQL, 2.3), where no member names it', () => {
    const document = (text: string) => JSON.stringify({ query: text.padEnd(120), variables: {} });
    const [list, add, show] = [
      'query Growers { growers { id } }',
      'mutation AddGrower { add { id } }',
      'query Grower { grower { id } }',
    ].map(document);
    const first = calls('/graphql', json, [list ?? '', add ?? '', list ?? '', show ?? '']);
    const second = calls('/graphql', json, [add ?? '', list ?? '', show ?? '']);
    expect(pairs(first, second)).toEqual([
      [2, 1],
      [3, 2],
      [4, 3],
    ]);
  });

  it('by the message of a SOAP envelope (SOAP 1.1, 4.3)', () => {
    const envelope = (name: string) =>
      `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><${name}><a>1</a></${name}></s:Body></s:Envelope>`;
    const first = calls('/ws', xml, ['Open', 'Save', 'Open', 'Close'].map(envelope));
    const second = calls('/ws', xml, ['Save', 'Open', 'Close'].map(envelope));
    expect(pairs(first, second)).toEqual([
      [2, 1],
      [3, 2],
      [4, 3],
    ]);
  });

  it('by the action field of a page framework, whatever else the forms hold and in whatever order they come', () => {
    const acts = (list: string[]) => calls('/desk', form, list);
    const first = acts(['act=reserve&no=4711', 'act=save&no=4711&goods=Peas', 'act=close&no=4711', 'act=reserve&no=1']);
    const second = acts(['act=reserve&no=5133', 'act=close&no=5133', 'act=save&no=5133&goods=Fish', 'act=reserve&no=2']);
    const act = (take: LoadedTake, n: number | null) =>
      take.exchanges
        .filter((exchange) => exchange.n === n)
        .map((exchange) => /^act=\w+/.exec(take.readBody(sentBody(exchange)?.hash ?? '') ?? '')?.[0])[0];
    const rows = layBeside(first, second);
    expect(rows).toHaveLength(4);
    for (const row of rows) expect(act(first, row.first)).toBe(act(second, row.second));
    expect(rows.filter((row) => row.state === 'moved')).toHaveLength(1);
  });

  it('call by call within a batch, and reads the answer of the call where it stands there', () => {
    const batch = (list: [string, string][], token: string) =>
      new TakeBuilder()
        .add(
          ['POST', '/rpc', json, JSON.stringify(list.map(([method, text]) => ({ method, params: { text } })))],
          [200, json, JSON.stringify(list.map(([method]) => ({ result: method === 'open' ? { key: token } : { ok: true } })))],
        )
        .add(['POST', '/rpc', json, JSON.stringify({ method: 'save', params: { key: token } })], [200, json, '{}'])
        .load();
    const first = batch([['open', 'a'], ['list', 'b']], 'k-81f2c4aa90'); // prettier-ignore
    const second = batch([['list', 'b'], ['open', 'a']], 'k-77a1d0be34'); // prettier-ignore
    const { script } = correlate(scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }), first, second);
    expect(script.handoffs).toMatchObject([
      { recorded: 'k-81f2c4aa90', evidence: 'proven', extractor: { kind: 'jsonpath', path: '$[0].result.key' } },
    ]);
  });

  it('call by call where the second take puts its calls together otherwise, or sends one by itself (JSON-RPC 2.0, section 6)', () => {
    const open = { method: 'open', params: { desk: 'north' } };
    const list = { method: 'list', params: { of: 'loads' } };
    const opened = (key: string) => ({ result: { key } });
    const listed = { result: { rows: [] } };
    const flow = (key: string, calls: [object, object][]) => {
      const builder = calls.reduce(
        (made, [asked, answered]) => made.add(['POST', '/rpc', json, JSON.stringify(asked)], [200, json, JSON.stringify(answered)]),
        new TakeBuilder(),
      );
      return builder
        .add(['POST', '/rpc', json, JSON.stringify([{ method: 'save', params: { key } }])], [200, json, '[{"result":1}]'])
        .load();
    };
    const keys = ['k-81f2c4aa90', 'k-77a1d0be34'] as const;
    const together = (key: string): [object, object][] => [[[open, list], [opened(key), listed]]]; // prettier-ignore
    const others: ((key: string) => [object, object][])[] = [
      (key) => [[[list], [listed]], [[open], [opened(key)]]], // prettier-ignore
      (key) => [[list, listed], [open, opened(key)]], // prettier-ignore
    ];
    for (const apart of others)
      for (const [leftCalls, rightCalls, path] of [
        [together, apart, '$[0].result.key'],
        [apart, together, apart === others[0] ? '$[0].result.key' : '$.result.key'],
      ] as const) {
        const first = flow(keys[0], leftCalls(keys[0]));
        const { script } = correlate(
          scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }),
          first,
          flow(keys[1], rightCalls(keys[1])),
        );
        expect(script.handoffs).toMatchObject([{ recorded: keys[0], evidence: 'proven', extractor: { path } }]);
      }
  });

  it('request by request within a multipart/mixed body, whatever their order, change sets among them (RFC 2046, 5.1.3; RFC 9112, 10.2)', () => {
    const line = (text: string, body = '') => `Content-Type: application/http\r\n\r\n${text} HTTP/1.1\r\nAccept: */*\r\n\r\n${body}`;
    const change = (load: string) => line(`PATCH Loads(${load})`, JSON.stringify({ state: 'sealed', load: Number(load) }));
    const look = (depot: string) => line(`GET Depots(${depot})/Bays`);
    const flow = (load: string, depot: string, parts: string[]) =>
      new TakeBuilder()
        .add(['POST', '/data/Loads', json, '{"name":"x"}'], [201, json, `{"LoadID":${load},"DepotID":${depot}}`])
        .add(
          [
            'POST',
            '/data/$batch',
            [['Content-Type', 'multipart/mixed; boundary=b1']],
            `${parts.map((part) => `--b1\r\n${part}\r\n`).join('')}--b1--\r\n`,
          ],
          [202, json, '{}'],
        )
        .load();
    const set = (load: string) => `Content-Type: multipart/mixed; boundary=c1\r\n\r\n--c1\r\n${change(load)}\r\n--c1--`;
    for (const changed of [change, set]) {
      const first = flow('48213', '77120', [look('77120'), changed('48213')]);
      const second = flow('48977', '77655', [changed('48977'), look('77655')]);
      const { script } = correlate(scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }), first, second);
      const [load, depot] = [
        script.handoffs.find((handoff) => handoff.recorded === '48213'),
        script.handoffs.find((handoff) => handoff.recorded === '77120'),
      ];
      expect([load?.evidence, depot?.evidence]).toEqual(['proven', 'proven']);
      const places = usePlaces(script);
      expect([places.get(load?.id ?? '')?.length, places.get(depot?.id ?? '')?.length]).toEqual([2, 1]);
    }
  });

  it('and a counter that goes up with each call is neither an origin nor in doubt (JSON-RPC 2.0, section 4: id)', () => {
    const flow = (from: number, key: string) =>
      new TakeBuilder()
        .add(['POST', '/rpc', json, `{"method":"open","id":${from}}`], [200, json, `{"id":${from},"result":["9","${key}"]}`])
        .add(['POST', '/rpc', json, `{"method":"list","id":${from + 1},"key":"${key}"}`], [200, json, `{"id":${from + 1},"result":3}`])
        .add(['POST', '/rpc', json, `{"method":"save","id":${from + 2},"key":"${key}"}`], [200, json, `{"id":${from + 2}}`])
        .load();
    const first = flow(1, 'q7f3aa01bc9d');
    const { script } = correlate(scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }), first, flow(5, 'm2d8be77aa10'));
    // A pair of id and key is no list to pick from: the key is read by its position.
    expect(script.handoffs).toMatchObject([
      { recorded: 'q7f3aa01bc9d', extractor: { kind: 'jsonpath', path: '$.result[1]', pick: 'first' } },
    ]);
    expect(script.made).toMatchObject([{ made: 'counter' }]);
    expect(script.unsure).toEqual([]);
    expect(requestSteps(script)).toHaveLength(3);
  });
});

it('pages without calls are paired as ever: by method and path shape, in order', () => {
  const take = (ids: string[]) => ids.reduce((builder, id) => builder.add(['GET', `/x/${id}`], [200, html, '']), new TakeBuilder()).load();
  expect(pairs(take(['12345', 'about']), take(['98765', 'help', 'about']))).toEqual([
    [1, 1],
    [2, 3],
  ]);
});
