import fc from 'fast-check';
import {
  bindTree,
  bodyTree,
  decode,
  encode,
  headerTree,
  leavesOf,
  nodesOf,
  recordedText,
  targetTree,
  type Encoding,
  type Template,
} from '../index.js';

describe('wrapping values', () => {
  it('encodes forms as the URL standard does (WHATWG URL, application/x-www-form-urlencoded percent-encode set)', () => {
    // URLSearchParams of Node.js is the reference implementation here.
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        expect(encode('form', text)).toBe(new URLSearchParams([['a', text]]).toString().slice(2));
      }),
    );
  });

  it.each<Encoding>(['form', 'form-lower', 'percent', 'component', 'component-plus', 'json', 'xml', 'base64', 'base64url', 'hex', 'utf8'])(
    '%s gives back what it wrapped',
    (encoding) => {
      fc.assert(
        fc.property(fc.string({ unit: 'grapheme', minLength: 4 }), (text) => {
          expect(decode(encoding, encode(encoding, text))).toBe(text);
        }),
      );
    },
  );

  it('leaves unreserved signs alone and escapes the others (RFC 3986, 2.3)', () => {
    expect(encode('percent', "aZ0-._~!'()* /")).toBe('aZ0-._~%21%27%28%29%2A%20%2F');
  });
});

describe('finding sent values', () => {
  const leaves = (tree: ReturnType<typeof targetTree>) => [...leavesOf(nodesOf(tree, [{ kind: 'text', text: tree.text }]))];
  const places = (tree: ReturnType<typeof targetTree>) => leaves(tree).map(({ place, value }) => [place, value]);

  it('finds path segments, path parameters and repeated query parameters', () => {
    expect(places(targetTree('/a/b%20c;sid=77?x=1&x=2&y=a+b'))).toEqual([
      ['path:1', 'a'],
      ['path:2', 'b c'],
      ['parameter:sid', '77'],
      ['query:x', '1'],
      ['query:x[1]', '2'],
      ['query:y', 'a b'],
    ]);
  });

  it('names JSON leaves by JSON pointer (RFC 6901, section 5)', () => {
    const text = '{"foo":["bar","baz"],"a/b":1,"m~n":8}';
    expect(places(bodyTree(text, 'json'))).toEqual([
      ['json:/foo/0', 'bar'],
      ['json:/foo/1', 'baz'],
      ['json:/a~1b', '1'],
      ['json:/m~0n', '8'],
    ]);
  });

  it('finds the credential after its scheme', () => {
    expect(leaves(headerTree('Authorization', 'Bearer abc.def'))).toMatchObject([{ value: 'abc.def' }]);
  });

  it('wraps a new value as the recorded one was, through nested wrappings, and changes nothing else', () => {
    const raw = `a=1&doc=${encodeURIComponent('{"k":"v\\"1","n":2}')}&z=%7E`;
    const tree = bodyTree(raw, 'form');
    const bound = bindTree(tree, [{ kind: 'text', text: raw }], ({ value }): Template | undefined =>
      value === 'v"1' ? [{ kind: 'handoff', handoff: 'h1', recorded: value }] : undefined,
    );
    expect(recordedText(bound)).toBe(raw);
    expect(bound).toMatchObject([
      { kind: 'text', text: 'a=1&doc=' },
      {
        kind: 'wrap',
        encoding: 'form',
        pieces: [{ kind: 'text' }, { kind: 'wrap', encoding: 'json', pieces: [{ kind: 'handoff' }] }, { kind: 'text' }],
      },
      { kind: 'text', text: '&z=%7E' },
    ]);
    // Binding a second value keeps the first.
    const twice = bindTree(tree, bound, ({ place }): Template | undefined =>
      place === 'form:a' ? [{ kind: 'made', made: 'm1', recorded: '1' }] : undefined,
    );
    expect(recordedText(twice)).toBe(raw);
    expect(JSON.stringify(twice)).toContain('"handoff":"h1"');
    expect(JSON.stringify(twice)).toContain('"made":"m1"');
  });
});
