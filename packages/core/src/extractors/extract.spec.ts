import { allMatches, matchesOf, readValue, ResponseView, type Extractor, type Header } from '../index.js';

const view = (type: string, body: string, headers: Header[] = []) => new ResponseView(200, [['Content-Type', type], ...headers], body);

describe('extractors', () => {
  // The document of RFC 9535, section 1.5 (figure 1), shortened to what the examples use.
  const store = view(
    'application/json',
    JSON.stringify({
      store: {
        book: [
          { author: 'Nigel Rees', price: 8.95 },
          { author: 'Evelyn Waugh', price: 12.99 },
          { author: 'Herman Melville', price: 8.99 },
        ],
      },
    }),
  );
  const json = (path: string, pick: 'first' | 'last' | 'any' = 'first'): Extractor => ({ kind: 'jsonpath', path, pick });

  it('read JSONPath (RFC 9535, section 1.5, examples)', () => {
    expect(matchesOf(json('$.store.book[*].author'), store)).toEqual(['Nigel Rees', 'Evelyn Waugh', 'Herman Melville']);
    expect(matchesOf(json('$..book[-1].author'), store)).toEqual(['Herman Melville']);
    expect(matchesOf(json('$..book[?@.price<10].author'), store)).toEqual(['Nigel Rees', 'Herman Melville']);
    expect(readValue(json('$..author', 'any'), store, () => 0.5)).toBe('Evelyn Waugh');
    expect(readValue(json('$..author', 'last'), store, () => 0)).toBe('Herman Melville');
  });

  it('read form fields with their character references (HTML standard, 13.2.5.73)', () => {
    const page = view('text/html', '<form><input name=a value="1"><input type=hidden name=k value="x&amp;y&#61;z"></form>');
    expect(matchesOf({ kind: 'field', name: 'k', nth: 0 }, page)).toEqual(['x&y=z']);
  });

  it('read a cookie, a header cut between boundaries, an element of XML, a text between two others', () => {
    const answer = view('text/xml', '<a><b>1</b><b>2</b></a>', [
      ['Set-Cookie', 'sid=31d4d96e407aad42; Path=/'],
      ['Location', '/things/77/view'],
    ]);
    expect(matchesOf({ kind: 'cookie', name: 'sid' }, answer)).toEqual(['31d4d96e407aad42']);
    expect(matchesOf({ kind: 'header', name: 'location', within: { left: '/things/', right: '/' } }, answer)).toEqual(['77']);
    expect(matchesOf({ kind: 'xml', path: '/a/b', nth: 1 }, answer)).toEqual(['2']);
    expect(matchesOf({ kind: 'between', left: '<b>', right: '<', nth: 1 }, answer)).toEqual(['2']);
  });

  it('search by expressions in bounded time, whatever the expression (a backtracking search of this one would not end)', () => {
    const page = view('text/html', `${'a'.repeat(50_000)}! key=k-77 key=k-78`);
    expect(matchesOf({ kind: 'regex', pattern: '(a+)+$', nth: 0 }, page)).toEqual([]);
    const keys: Extractor = { kind: 'regex', pattern: 'key=(\\S+)', nth: 0, pick: 'last' };
    expect(readValue(keys, page, () => 0)).toBe('k-78');
  });

  it('search by expressions in JSONPath in bounded time too', () => {
    const hostile = view(
      'application/json',
      JSON.stringify([
        { id: 1, name: `${'a'.repeat(40_000)}!` },
        { id: 2, name: 'aaa' },
      ]),
    );
    expect(matchesOf(json('$[?match(@.name, "(a+)+")].id'), hostile)).toEqual(['2']);
    expect(matchesOf(json('$[?search(@.name, "(a*)*b")].id'), hostile)).toEqual([]);
  });

  it('take hostile JSON for what it says: members called __proto__, names twice, deep nesting', () => {
    expect(matchesOf(json('$["__proto__"].id'), view('application/json', '{"__proto__":{"id":"p-1"},"id":"a","id":"b"}'))).toEqual(['p-1']);
    expect(matchesOf(json('$.id'), view('application/json', '{"id":"a","id":"b"}'))).toEqual(['b']);
    expect(matchesOf(json('$.id'), view('application/json', `${'['.repeat(20_000)}${']'.repeat(20_000)}`))).toEqual([]);
    expect(({} as Record<string, unknown>)['id']).toBeUndefined();
  });

  it('expand no entity of an XML document', () => {
    const bomb = '<!DOCTYPE a [<!ENTITY x "lol"><!ENTITY y "&x;&x;&x;">]><a><b>&y;</b></a>';
    expect(matchesOf({ kind: 'xml', path: '/a/b', nth: 0 }, view('text/xml', bomb))).toEqual(['&y;']);
  });

  it('keep to the row in which a text stands', () => {
    const page = view('text/html', '<table><tr><td>Cod<td><a href="/x/1">e</a></tr><tr><td>Plums<td><a href="/x/2">e</a></tr></table>');
    const row: Extractor = {
      kind: 'attribute',
      element: 'a',
      by: null,
      attribute: 'href',
      nth: 0,
      pick: 'first',
      within: { left: '/x/', right: '' },
      beside: [{ kind: 'text', text: 'Plums' }],
    };
    expect(matchesOf(row, page)).toEqual(['2']);
    const list = view('application/json', '{"items":[{"id":1,"name":"Cod"},{"id":2,"name":"Plums"}]}');
    expect(matchesOf({ ...json('$.items[*].id', 'first'), beside: [{ kind: 'text', text: 'Plums' }] }, list)).toEqual(['2']);
  });

  it('give nothing where nothing matches, and do not throw on broken documents', () => {
    expect(readValue(json('$.a'), view('application/json', '{broken'), () => 0)).toBeUndefined();
    expect(matchesOf({ kind: 'field', name: 'k', nth: 0 }, view('text/html', '<input name=k'))).toEqual([]);
  });
});

describe('every match', () => {
  it('is given whichever of them an extractor picks, refined as it says', () => {
    const view = new ResponseView(200, [['Content-Type', 'text/html']], '<a href="/t/3">a</a><a href="/u">b</a><a href="/t/5">c</a>');
    const within = { left: '/t/', right: '' };
    const link = { kind: 'attribute' as const, element: 'a', by: null, attribute: 'href', nth: 1, within };
    expect([allMatches(link, view), allMatches({ ...link, pick: 'last' }, view)]).toEqual([
      ['3', '5'],
      ['3', '5'],
    ]);
  });
});
