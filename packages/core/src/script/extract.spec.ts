import { matchesOf, readValue, ResponseView, type Extractor, type Header } from '../index.js';

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

  it('give nothing where nothing matches, and do not throw on broken documents', () => {
    expect(readValue(json('$.a'), view('application/json', '{broken'), () => 0)).toBeUndefined();
    expect(matchesOf({ kind: 'field', name: 'k', nth: 0 }, view('text/html', '<input name=k'))).toEqual([]);
  });
});
