import { judgeRehearsal, likenessOf, ResponseView, scriptFromTake, type Header, type LoadedTake } from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback } from '../test/playback.js';
import { html, json, TakeBuilder } from '../test/take-builder.js';
import { troubleIn } from './said.js';

const view = (text: string, headers: Header[] = json) => new ResponseView(200, headers, text);
const page = (inner: string) =>
  `<html><head><title>T</title></head><body><h1>List</h1><nav><a>x</a></nav><div><p>y</p></div>${inner}</body></html>`;
const rows = (count: number) => `<table>${'<tr><td>a</td><td><b>1</b></td></tr>'.repeat(count)}</table>`;

describe('likeness compares kinds, not counts', () => {
  it.each([
    ['a list of JSON that is longer', '{"data":[{"id":1}]}', '{"data":[{"id":1},{"id":2},{"id":3}]}'],
    ['a list of JSON that is empty now', '{"data":[{"id":1,"by":{"name":"A"}}]}', '{"data":[]}'],
    ['a list of JSON that was empty', '{"data":[]}', '{"data":[{"id":1,"by":{"name":"A"}}]}'],
    ['a list that is empty both times', '{"data":[]}', '{"data":[]}'],
    ['a member that is null now', '{"by":{"name":"A"}}', '{"by":null}'],
    ['items that have other members each', '{"d":[{"a":1},{"b":2}]}', '{"d":[{"a":1,"b":2}]}'],
    ['members that are named by ids', '{"d":{"4711":{"a":1}}}', '{"d":{"5133":{"a":1},"5134":{"a":2}}}'],
  ])('%s', (_what, recorded, replayed) => {
    expect(likenessOf(view(recorded), view(replayed))).toBe(1);
  });

  it.each([
    ['more rows', rows(2), rows(40)],
    ['no rows', rows(3), rows(0)],
    ['options', '<select name="s"><option>1</option></select>', '<select name="s"><option>1</option><option>2</option></select>'],
  ])('pages with %s', (_what, recorded, replayed) => {
    expect(likenessOf(view(page(recorded), html), view(page(replayed), html))).toBe(1);
  });

  it('and still tells another answer from a longer one', () => {
    expect(likenessOf(view('{"data":[{"id":1}],"page":1}'), view('{"message":"gone","code":7}'))).toBeLessThan(0.3);
    expect(
      likenessOf(view(page(rows(3)), html), view('<form><input name="user"><input type="password" name="p"></form>', html)),
    ).toBeLessThan(0.5);
  });

  it('what differs between two good answers is no difference', () => {
    const both = [view('{"a":1,"more":{"x":1}}'), view('{"a":1}')];
    expect(likenessOf(both, view('{"a":1}'))).toBe(1);
    expect(likenessOf(both, view('{"a":1,"more":{"x":2}}'))).toBe(1);
  });
});

describe('judging what the take does not hold, or holds as well', () => {
  const verdictOf = (recorded: [number, Header[], string?], replayed: [number, Header[], string?], signs: string[] = []) => {
    const take: LoadedTake = new TakeBuilder().add(['GET', '/x'], recorded).load();
    const script = scriptFromTake(take, { scriptId: 's', name: 's', tidy: everything });
    const captured = { ...playback(script, { s1: replayed }), failureSigns: signs.map((text) => ({ kind: 'text' as const, text })) };
    return judgeRehearsal(script, take, captured).steps[0];
  };

  it('a page whose body came from the cache is not laid beside anything', () => {
    expect(verdictOf([200, html], [200, html, page('<input type="password" name="p">')])?.verdict).toBe('passed');
  });

  it('an answer that was recorded without its type is read by its looks', () => {
    expect(verdictOf([200, [], '{"a":[{"b":1}]}'], [200, json, '{"a":[{"b":1}]}'])?.verdict).toBe('passed');
  });

  it('a failure sign that the recorded answer holds as well is none', () => {
    const texts = '{"texts":{"denied":"You are not authorised"}}';
    expect(verdictOf([200, json, texts], [200, json, texts], ['not authorised'])?.verdict).toBe('passed');
    expect(verdictOf([200, json, '{"texts":{}}'], [200, json, texts], ['not authorised'])?.verdict).toBe('failed');
  });

  it('what the server says of trouble fails a short answer, and is told of a long one', () => {
    expect(verdictOf([200, html, 'User <b>ann</b> was added.'], [200, html, 'User <b>ann</b> already exists.'])).toMatchObject({
      verdict: 'failed',
      reasons: ['It answered 200, but says “User ann already exists.”.'],
    });
    expect(verdictOf([200, json, '{"success":true,"id":4}'], [200, json, '{"success":false,"id":null}'])?.verdict).toBe('failed');
    const long = (text: string) => page(`<p>${'Peas and ice. '.repeat(60)}</p><p>${text}</p>`);
    expect(verdictOf([200, html, long('Saved')], [200, html, long('The kind is not included in the list')])).toMatchObject({
      verdict: 'passed',
      said: ['The kind is not included in the list'],
    });
  });
});

it('trouble that good answers show as well is no news, numbers in it aside', () => {
  const said = (good: string, replayed: string) => troubleIn(view(replayed, html), [view(good, html)]).map((trouble) => trouble.text);
  expect(said('<p class="error">Row 4 is locked</p>', '<p class="error">Row 7 is locked</p>')).toEqual([]);
  expect(said('<p>fine</p>', '<p class="error">Row 7 is locked</p>')).toEqual(['Row 7 is locked']);
});
