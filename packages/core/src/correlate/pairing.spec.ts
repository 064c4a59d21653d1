import { alignTakes, correlate, layBeside, requestSteps, scriptFromTake, type Header, type LoadedTake } from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

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
      /^act=\w+/.exec(take.readBody(take.exchanges.find((one) => one.n === n)?.requestBody?.hash ?? '') ?? '')?.[0];
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
