import { html, json, form, TakeBuilder } from '../test/take-builder.js';
import { layBeside } from '../correlate/pair/beside.js';
import { suggestNames } from './name-suggestions.js';
import { searchTake } from './search.js';
import { masked, maskExchange, maskHeader, maskLine, maskText, maskUrl } from '../secrets/masks.js';
import { filesNamedBy } from '../tidy/warnings.js';

describe('secrets', () => {
  it('are masked in headers, and cookies keep their names and attributes', () => {
    expect(maskHeader(['Authorization', 'Bearer abc'])).toBe(masked);
    expect(maskHeader(['Cookie', 'sid=1; lang=en'])).toBe(`sid=${masked}; lang=${masked}`);
    expect(maskHeader(['Set-Cookie', 'sid=1; Path=/; HttpOnly'])).toBe(`sid=${masked}; Path=/; HttpOnly`);
    expect(maskHeader(['X-Client-Key', 'k'])).toBe(masked);
    expect(maskLine('cookie: sid=1; lang=en')).toBe(`cookie: sid=${masked}; lang=${masked}`);
    expect(maskLine('POST http://127.0.0.1:9/a?token=abc&q=cod')).toBe(`POST http://127.0.0.1:9/a?token=${masked}&q=cod`);
    expect(maskLine('password=mara-pass')).toBe(`password=${masked}`);
    expect(maskLine('  "token": "abc",')).toBe(`  "token": "${masked}",`);
    expect(maskLine('<dd>Note: 22 pallets</dd>')).toBe('<dd>Note: 22 pallets</dd>');
    expect(maskHeader(['Accept', 'text/html'])).toBe('text/html');
  });

  it('are masked in addresses, forms, JSON, multipart and hidden fields, and nothing else is', () => {
    expect(maskUrl('http://a/b?q=1&access_token=xyz#id_token=q')).toBe(`http://a/b?q=1&access_token=${masked}#id_token=${masked}`);
    expect([maskUrl('/back?code=xyz'), maskText('{"code":"D-1"}')]).toEqual([`/back?code=${masked}`, '{"code":"D-1"}']);
    expect(maskText('user=kim&password=tulip&n=1')).toBe(`user=kim&password=${masked}&n=1`);
    expect(maskText('{"user":"kim","apiKey":"k\\"1","n":2,"pin": 1234}')).toBe(
      `{"user":"kim","apiKey":"${masked}","n":2,"pin": "${masked}"}`,
    );
    expect(maskText('<input type=hidden name="csrf_token" value="abc"><input name=q value="kept">')).toBe(
      `<input type=hidden name="csrf_token" value="${masked}"><input name=q value="kept">`,
    );
    expect(maskText('--b\r\nContent-Disposition: form-data; name="password"\r\n\r\ntulip\r\n--b--')).toContain(`\r\n\r\n${masked}\r\n`);
  });

  it('leave an exchange altogether, with what an import kept besides', () => {
    const [exchange] = new TakeBuilder()
      .add(['GET', '/?token=tulip', [['Cookie', 'a=tulip']]], [200, [['Set-Cookie', 'b=tulip']]])
      .load().exchanges;
    if (!exchange) throw new Error('no exchange');
    expect(JSON.stringify(maskExchange({ ...exchange, harEntry: { request: { cookies: 'tulip' } } }))).not.toContain('tulip');
  });
});

describe('searching a take', () => {
  const loaded = new TakeBuilder()
    .add(['GET', '/find?text=Tulip'], [200, html, `${'x'.repeat(60)} <b>tulip</b> and TULIP again`])
    .add(['POST', '/book', form, 'goods=roses'], [200, [...json, ['X-Goods', 'tulip']], '{}'])
    .load();

  it('finds a text in every part, bodies too, with what is around it', () => {
    const { hits } = searchTake(loaded, 'tulip');
    expect(hits.map((hit) => [hit.exchange, hit.where, hit.count])).toEqual([
      [1, 'address', 1],
      [1, 'response body', 2],
      [2, 'response headers', 1],
    ]);
    expect(hits[1]).toMatchObject({ found: 'tulip', after: '</b> and TULIP again' });
    expect(hits[1]?.before.length).toBe(40);
  });

  it('stops at its limit and says so', () => {
    expect(searchTake(loaded, 'tulip', 1)).toMatchObject({ hits: [{ where: 'address' }], more: true });
    expect(searchTake(loaded, '')).toEqual({ hits: [], more: false });
  });
});

describe('two takes beside each other', () => {
  it('shows what is missing, extra and moved, and which values differ', () => {
    const first = new TakeBuilder()
      .add(['GET', '/'], [200, html, ''])
      .add(['GET', '/help'], [200, html, ''])
      .add(['POST', '/sign-in', form, 'user=kim&formKey=aaaa'], [303, [['Location', '/desk']]])
      .add(['GET', '/desk'], [200, html, ''])
      .add(['GET', '/news'], [200, json, '{}'])
      .add(['GET', '/intakes/20418'], [200, html, '']);
    const second = new TakeBuilder()
      .add(['GET', '/'], [200, html, ''])
      .add(['GET', '/news'], [200, json, '{}'])
      .add(['POST', '/sign-in', form, 'user=kim&formKey=bbbb'], [200, html, 'no'])
      .add(['GET', '/desk'], [200, html, ''])
      .add(['GET', '/intakes/20977'], [200, html, ''])
      .add(['GET', '/goodbye'], [200, html, '']);
    const rows = layBeside(first.load(), second.load());
    expect(rows.map((row) => [row.first, row.second, row.state])).toEqual([
      [1, 1, 'same'],
      [2, null, 'missing'],
      [3, 3, 'differs'],
      [4, 4, 'same'],
      [5, 2, 'moved'],
      [6, 5, 'differs'],
      [null, 6, 'extra'],
    ]);
    expect(rows[2]).toMatchObject({
      values: [{ name: 'formKey', first: 'aaaa', second: 'bbbb' }],
      answer: 'It answered 303 in the first take and 200 in the second.',
    });
    expect(rows[5]?.values).toMatchObject([{ first: '20418', second: '20977' }]);
  });
});

describe('what a page says', () => {
  const page = `<title>Book intake – Yard</title><link rel="stylesheet" href="/a.css"><link rel="icon" href="/i.ico">
    <script src="b.js#x"></script><img src="data:image/png;base64,AA"><img loading="lazy" src="/later.png">
    <h1>Book intake</h1><button>Save <i>draft</i></button><input type="submit" value="Book"><a class="btn" href="/">Back</a><a href="/x">plain</a>`;

  it('gives names for transactions: buttons first, then heading and title', () => {
    expect(suggestNames(page)).toEqual(['Save draft', 'Book', 'Back', 'Book intake']);
  });

  it('names the files that every browser asks for', () => {
    expect(filesNamedBy(page, 'http://a/p/')).toEqual(['http://a/a.css', 'http://a/p/b.js']);
  });
});
