import fc from 'fast-check';
import { describeExtractor, readHtml, readTitle, ResponseView, type Header } from '../../index.js';
import { html, json } from '../../test/take-builder.js';
import { boundariesFor } from './boundaries.js';
import { clockKind } from '../decide/made-values.js';
import { Names, plainName, sameName } from './naming.js';
import { receivedValues } from './received-values.js';
import { bitsPerSign, dynamicShape } from './shapes.js';
import { Wanted } from './wanted.js';

const found = (headers: Header[], body: string, value: string) =>
  receivedValues(new ResponseView(200, headers, body), {
    has: (wanted) => wanted === value,
    mayBeIn: () => true,
    mayBeAnywhereIn: () => true,
  }).map((receivedValue) => (receivedValue.extractor ? describeExtractor(receivedValue.extractor) : 'by boundaries'));

describe('values of a response', () => {
  it.each<[string, Header[], string, string, string]>([
    ['a header', [['X-Token', 'abc123']], '', 'abc123', 'the header x-token'],
    ['an ETag without its quotes (RFC 9110, 8.8.3)', [['ETag', 'W/"v-9"']], '', 'v-9', 'the header etag, after “"”'],
    ['a segment of a redirect', [['Location', 'http://h/things/77?tab=1']], '', '77', 'the header location, after “/things/”'],
    ['a parameter of a redirect', [['Location', '/back?code=c-55&state=s']], '', 'c-55', 'the header location, after “?code=”'],
    ['a cookie', [['Set-Cookie', 'sid=q7; Path=/']], '', 'q7', 'the cookie sid'],
    ['a hidden field', html, '<input type="hidden" name="k" value="f-1">', 'f-1', 'the form field k'],
    ['a meta tag', html, '<meta name="csrf" content="m-2">', 'm-2', 'the attribute content of <meta name="csrf">'],
    ['a data attribute', html, '<div id="r" data-key="d-3"></div>', 'd-3', 'the attribute data-key of <div id="r">'],
    ['a segment of a link', html, '<a id="next" href="/list/l-4/page">x</a>', 'l-4', 'the attribute href of <a id="next">, after “/list/”'],
    ['a literal of an inline script', html, '<script>window.a = {"key":"s-5"}</script>', 's-5', 'by boundaries'],
    ['a text of the page', html, '<p>Number <b>n-6</b></p>', 'n-6', 'by boundaries'],
    ['a JSON member', json, '{"a":{"b-c":"j-7"}}', 'j-7', '$.a["b-c"]'],
    ['an item of a JSON list', json, '{"a":[{"id":1},{"id":"j-8"}]}', 'j-8', 'any of $.a[*].id'],
    ['an element of XML', [['Content-Type', 'text/xml']], '<a><b>x-9</b></a>', 'x-9', 'the element /a/b'],
  ])('are found in %s', (_name, headers, body, value, how) => {
    expect(found(headers, body, value)).toContain(how);
  });

  it('leave out headers that say nothing of the application', () => {
    expect(
      receivedValues(
        new ResponseView(
          200,
          [
            ['Date', 'Mon'],
            ['Server', 'x'],
            ['Content-Length', '5'],
          ],
          '',
        ),
        { has: () => true, mayBeIn: () => true, mayBeAnywhereIn: () => true },
      ),
    ).toEqual([]);
  });
});

describe('boundaries', () => {
  it('are as short as leads to the value, begin where people would cut, and hold no digit where that can be', () => {
    expect(boundariesFor('var page7 = {"key":"abc","other":"abd"}', 'abc')).toMatchObject({ left: '"key":"', right: '"', nth: 0 });
    expect(boundariesFor('<b>1</b><span id="number">IN-77</span>', 'IN-77')).toMatchObject({
      left: expect.stringMatching(/number">$/) as string,
      right: '<',
    });
  });

  it('are not made of what is not there, or of a value that its own end cuts', () => {
    expect(boundariesFor('abc', 'x')).toBeNull();
    expect(boundariesFor('key=a;b;c', 'a;b')).toMatchObject({ left: 'key=', right: ';c' });
    expect(boundariesFor('a;b', 'a;b')).toBeNull();
  });
});

describe('judging by shape', () => {
  it.each([
    ['x', '0b9cf2a4-6d0e-4f6a-9a59-3f1f7c1f2e10', 'it is a UUID'],
    ['x', 'eyJhbGciOiJIUzI1NiJ9.eyJzdWIiOiIxIn0.c2ln', 'it is a signed web token (JWT)'],
    ['csrfToken', 'a1b2c3', 'its name “csrfToken” and its form say so'],
    ['x', 'A'.repeat(250), 'it is a long encoded block'],
    ['x', 'k3JdV9qLx2Pw', 'it is a mix of letters and digits as tokens are'],
  ])('%s = %s: %s', (name, value, why) => {
    expect(dynamicShape(name, value)).toBe(why);
  });

  it('says nothing of words, short numbers and sentences', () => {
    expect(['goods', 'Frozen cod', '22', 'title', 'sign-in'].map((value) => dynamicShape('goods', value))).toEqual([
      null,
      null,
      null,
      null,
      null,
    ]);
  });

  it('measures entropy in bits a sign (Shannon 1948: a fair coin has one bit)', () => {
    expect(bitsPerSign('abababab')).toBe(1);
    expect(bitsPerSign('aaaa')).toBe(0);
    expect(bitsPerSign('abcdefgh')).toBe(3);
  });

  it('tells clocks by being near the time of the exchange', () => {
    const take = {
      id: 't',
      projectId: 'p',
      name: 'n',
      startedAt: '2026-11-23T10:00:00.000Z',
      state: 'done' as const,
      marks: [],
      harLog: null,
    };
    const exchange = { startedAtMs: 0 } as Parameters<typeof clockKind>[2];
    const at = Date.parse(take.startedAt);
    expect(
      [
        String(at),
        String(at / 1000),
        '2026-11-23T11:00:00+01:00',
        `${at / 1000}.125`,
        `${at}000`,
        '2026-11-23 10:00:05',
        'Mon, 23 Nov 2026 10:00:00 GMT',
        '2025-11-23T10:00:00Z',
        '1234567890123',
      ].map((value) => clockKind(value, take, exchange)?.made),
    ).toEqual(['epoch-ms', 'epoch-s', 'iso-time', 'epoch-fraction', 'epoch-us', 'iso-time', 'http-date', undefined, undefined]);
  });
});

describe('names of handoffs', () => {
  it('are plain words, and different', () => {
    expect(plainName('formKey', 'form:formKey')).toBe('form key');
    expect(plainName('X-Client-Key', 'header:x-client-key')).toBe('client key');
    expect(plainName('If-Match', 'header:if-match')).toBe('record version');
    expect(['intakes', 'companies', 'address'].map((name) => plainName(name, 'path:2'))).toEqual(['intake', 'company', 'address']);
    const names = new Names(['key', 'key 2']);
    expect(['key', 'key', 'lock'].map((name) => names.take(name))).toEqual(['key 3', 'key 4', 'lock']);
    expect(sameName('csrf_token', 'csrfToken')).toBe(true);
    expect(sameName('', '')).toBe(false);
  });
});

describe('long pages', () => {
  const rows = (count: number) =>
    Array.from({ length: count }, (_, at) => `<tr><td>${at}</td><td>Row ${at} of the list</td></tr>`).join('');
  const value = 'tk-77aa88bb';
  const parts = [
    `<input type="hidden" name="k" value="${value}">`,
    `<div id="r" data-key="${value}"></div>`,
    `<script>var config = {"list":"<b>${'x'.repeat(6000)}</b>","key":"${value}"};</script>`,
    `<!-- ${'y'.repeat(6000)} ><p> ${value} -->`,
    `<select name="s"><option value="1">a</option><option value="${value}">b</option></select>`,
    `<textarea name="t">${'z'.repeat(5000)}><b>${value}</textarea>`,
    `<p>Number ${value}</p>`,
  ];

  it.each(parts.map((part) => [part.slice(0, 16), part]))('give the same as when they are read whole: %s', (_, part) => {
    const body = `<title>T</title><table>${rows(400)}</table>${part}<table>${rows(400)}</table>`;
    const read = (mayBeAnywhereIn: (text: string, from?: number, to?: number) => boolean) =>
      receivedValues(new ResponseView(200, html, body), { has: (wanted) => wanted === value, mayBeIn: () => true, mayBeAnywhereIn });
    const skimmed = read((text, from, to) => text.slice(from, to).includes('77aa88bb'));
    expect(skimmed).toEqual(read(() => true));
    expect(skimmed.length).toBeGreaterThan(0);
  });

  it('may have a hundred thousand nodes or be thirty megabytes long', () => {
    const wants = {
      has: (wanted: string) => wanted === value,
      mayBeIn: () => true,
      mayBeAnywhereIn: (text: string, from?: number, to?: number) => text.slice(from, to).includes(value),
    };
    const nodes = `<table>${rows(33_400)}</table>${parts[1] ?? ''}`;
    expect(receivedValues(new ResponseView(200, html, nodes), wants).map((receivedValue) => receivedValue.value)).toContain(value);
    const long = `{"filler":"${'ab '.repeat(10_000_000)}","id":"${value}"}`;
    expect(receivedValues(new ResponseView(200, json, long), wants).map((receivedValue) => receivedValue.value)).toEqual([value]);
    const deep = `${'<div>'.repeat(20_000)}${parts[0] ?? ''}`;
    expect(receivedValues(new ResponseView(200, html, deep), wants).map((receivedValue) => receivedValue.value)).toContain(value);
  });
});

describe('the first look at a body', () => {
  const filler = fc.array(fc.constantFrom('<td>', 'Grower', ' ', '17', '·', 'ä', '漢字', '😀', '-', '="', '"', '\n', 'x'.repeat(180)), {
    maxLength: 60,
  });
  const token = fc.stringMatching(/^[A-Z][a-z0-9]{3,9}-?[a-z0-9]{0,9}$/);

  it('never passes over a wanted value, whatever stands around it, in a whole text and in a part of it', () => {
    fc.assert(
      fc.property(filler, token, filler, (before, value, after) => {
        fc.pre(isWanted(value));
        const wanted = Wanted.nothing(new Set([value]));
        wanted.add(value, 'name');
        const [left, right] = [`${before.join('')}"`, `"${after.join('')}`];
        const text = left + value + right;
        expect(wanted.mayBeIn(text)).toBe(true);
        expect(wanted.mayBeAnywhereIn(text, left.length, left.length + value.length)).toBe(true);
        expect(wanted.mayBeAnywhereIn(text, 0, left.length)).toBe(false);
      }),
    );
  });
  const isWanted = (value: string) => /\d/.test(value) && !/grower|xx/i.test(value);

  it('knows a number that stands everywhere by the word before it', () => {
    const wanted = Wanted.nothing(new Set());
    wanted.add('17', 'lotId');
    expect(wanted.mayBeAnywhereIn('<p>Lot 17</p>')).toBe(true);
    expect(wanted.mayBeAnywhereIn('<p>für Lot 17</p>')).toBe(true);
    expect(wanted.mayBeAnywhereIn('<p>Grower 17</p><td>17</td>')).toBe(false);
    expect(wanted.mayBeAnywhereIn('<a href="/lots?lot=17">')).toBe(true);
    wanted.add('17', 'growerNumber');
    expect(wanted.mayBeAnywhereIn('<p>Grower 17</p>')).toBe(true);
  });
});

describe('the title of a page', () => {
  it.each([
    ['', ''],
    ['<title>Book &amp; go </title><svg><title>icon</title></svg>', 'Book & go'],
    [`<!-- <title>no</title> ${'y'.repeat(6000)}--><title>yes</title>`, 'yes'],
    [`<script>var t = "<title>no</title>";</script><TITLE lang="en">Yes</TITLE>${'<p>'.repeat(4000)}`, 'Yes'],
    ['<title>never closed', 'never closed'],
    [`${' '.repeat(4094)}<title>cut between two pieces</title>`, 'cut between two pieces'],
  ])('is its first title element, and the same however much of the page is read: %#', (page, title) => {
    expect(readTitle(page)).toBe(title);
    expect(readHtml(page).title).toBe(title);
  });
});
