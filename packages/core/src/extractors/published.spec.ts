import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { allMatches, bodyTree, checkExtractor, decode, encode, readHtml, ResponseView, type Extractor } from '../index.js';

/** One test of the JSONPath compliance test suite (https://github.com/jsonpath-standard/jsonpath-compliance-test-suite). */
interface PathTest {
  name: string;
  selector: string;
  document?: unknown;
  result?: unknown[];
  results?: unknown[][];
  invalid_selector?: true;
}

const folder = join(dirname(createRequire(__filename).resolve('jsonpath-rfc9535/package.json')), 'src/__tests__');
const suite = JSON.parse(readFileSync(join(folder, 'jsonpath-compliance-test-suite/cts.json'), 'utf8')) as { tests: PathTest[] };

/** What an extractor can hand off of nodes: texts, numbers and truth values that are not empty. */
const handable = (nodes: readonly unknown[]): string[] =>
  nodes
    .filter((node) => typeof node === 'string' || typeof node === 'number' || typeof node === 'boolean')
    .map(String)
    .filter((line) => line !== '');

describe('JSONPath, by the compliance suite of RFC 9535', () => {
  const json = (path: string): Extractor => ({ kind: 'jsonpath', path, pick: 'first' });

  it('reads what each valid selector selects, in one of the orders that are allowed', () => {
    const valid = suite.tests.filter((test) => !test.invalid_selector);
    expect(valid.length).toBeGreaterThan(400);
    const wrong = valid.filter(({ selector, document, result, results }) => {
      const view = new ResponseView(200, [['Content-Type', 'application/json']], JSON.stringify(document));
      const got = JSON.stringify(allMatches(json(selector), view));
      return !(results ?? [result ?? []]).some((allowed) => JSON.stringify(handable(allowed)) === got);
    });
    expect(wrong.map((test) => test.name)).toEqual([]);
  });

  it('refuses each selector that is not valid', () => {
    const invalid = suite.tests.filter((test) => test.invalid_selector);
    expect(invalid.length).toBeGreaterThan(200);
    const taken = invalid.filter(({ selector }) => {
      try {
        checkExtractor(json(selector));
        return true;
      } catch {
        return false;
      }
    });
    expect(taken.map((test) => test.name)).toEqual([]);
  });
});

describe('character references (HTML standard, 13.2.5.72 and 13.2.5.73, its own examples)', () => {
  const valueOf = (attribute: string) => readHtml(`<input value="${attribute}">`).elements[0]?.attributes['value'];

  it('in a text: a name without its semicolon ends where the longest known name ends', () => {
    expect(readHtml('<p>I&apos;m &notit; I tell you</p>').texts).toEqual(["I'm ¬it; I tell you"]);
    expect(readHtml('<p>I&apos;m &notin; I tell you</p>').texts).toEqual(["I'm ∉ I tell you"]);
  });

  it('in an attribute: what looks like the next parameter of an address stays as it is', () => {
    expect(valueOf('?a=b&notit;=c')).toBe('?a=b&notit;=c');
    expect(valueOf('?art&amp;copy=1&amp;x=&#x20AC;&#8364;')).toBe('?art&copy=1&x=€€');
  });
});

describe('form submission', () => {
  it('writes application/x-www-form-urlencoded as the URL standard does (5.2: the signs that stay; blanks as plus)', () => {
    expect(encode('form', 'ABC xyz019*-._')).toBe('ABC+xyz019*-._');
    expect(encode('form', "~!'()&=+ü€")).toBe('%7E%21%27%28%29%26%3D%2B%C3%BC%E2%82%AC');
    expect(decode('form', 'a+b%2Bc%20d')).toBe('a b+c d');
  });

  it('reads the entries of a form as the URL standard does (5.1), but for those that hold nothing', () => {
    const { kids } = bodyTree('a=1&&a=2&b=&c&%C3%BC=%26+x', 'form');
    expect(kids.map((kid) => [kid.place, kid.tree.text])).toEqual([
      ['form:a', '1'],
      ['form:a[1]', '2'],
      ['form:ü', '& x'],
    ]);
  });
});

describe('XPath (XPath 3.1, W3C 2017, 3.3.5: its examples of abbreviated syntax)', () => {
  const answer = (body: string, type = 'application/xml') => new ResponseView(200, [['Content-Type', type]], body);
  const book = answer(
    '<doc><chapter><title>Introduction</title><para type="warning">p1</para><para>p2</para><section><para type="warning">p3</para></section></chapter><chapter><title>Use &amp; care</title><para type="warning">p4</para></chapter></doc>',
  );
  const read = (expression: string, view = book) => allMatches({ kind: 'xpath', expression, pick: 'first' }, view);

  it.each([
    ['//para', 'p1 p2 p3 p4'],
    ['/doc/chapter[2]/para', 'p4'],
    ['//chapter/para[@type="warning"]', 'p1 p4'],
    ['(//para[@type="warning"])[last()]', 'p4'],
    ['//chapter[title="Introduction"]/para[2]', 'p2'],
    ['//section/../title', 'Introduction'],
    ['//para/@type', 'warning warning warning'],
    ['count(//para)', '4'],
    ['//chapter[starts-with(title, "Use")]/title', 'Use & care'],
  ])('%s', (expression, wanted) => {
    expect(read(expression).join(' ')).toBe(wanted);
  });

  it('takes prefixes as the document has them, and its default namespace for names without one', () => {
    const soap = answer(
      '<s:Envelope xmlns:s="urn:soap"><s:Body><Order xmlns="urn:yard"><Id>77</Id></Order></s:Body></s:Envelope>',
      'text/xml',
    );
    expect(read('/s:Envelope/s:Body/*/*[local-name()="Id"]', soap)).toEqual(['77']);
    expect(read('//Id', answer('<Order xmlns="urn:yard"><Id>78</Id></Order>'))).toEqual(['78']);
  });

  it('expands no entity, never loops, and says what is wrong', () => {
    expect(read('//b', answer('<!DOCTYPE a [<!ENTITY x "lol"><!ENTITY y "&x;&x;">]><a><b>&y;</b></a>'))).toEqual([]);
    expect(read('//b', answer('<a><b>'))).toEqual([]);
    const check = (expression: string) => () => {
      checkExtractor({ kind: 'xpath', expression, pick: 'first' });
    };
    expect(check('count(1 to 1000000000)')).toThrow('Ranges, loops');
    expect(check('//a[')).toThrow('XPST0003');
    expect(check('//m:row/@id')).not.toThrow();
    expect(check('//a[. = "x to y"]')).not.toThrow();
  });
});
