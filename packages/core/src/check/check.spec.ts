import {
  checkFailure,
  checkProblem,
  compares,
  describeCheck,
  recordedText,
  ResponseView,
  scriptFromTake,
  heldBy,
  shownSigns,
  type Check,
  type FailureSign,
  type Template,
} from '../index.js';
import { html, json, TakeBuilder } from '../test/take-builder.js';
import { everything } from '../tidy/tidy.schema.js';

const text = (value: string): Template => [{ kind: 'text', text: value }];
const check = (checked: Check['checked']): Check => ({ id: 'c', checked, onFailure: 'mark' });
const answer = (type: string, body: string, more: { status?: number; location?: string; durationMs?: number } = {}) => ({
  view: new ResponseView(more.status ?? 200, [['Content-Type', type]], body),
  location: more.location,
  bytes: Buffer.byteLength(body),
  durationMs: more.durationMs ?? 40,
});
const page = answer('text/html', '<title>Intake 7</title><h1>Booked &amp; weighed</h1><p>TWCU7700008 has\n 1,250 kg</p><li>a<li>b<li>c');
const data = answer('application/json', '{"kg":1250,"rows":[{"id":"a"},{"id":"b"}],"none":[]}');
const rows = { kind: 'jsonpath' as const, path: '$.rows[*].id', pick: 'any' as const };

describe('checks', () => {
  it.each<[string, Check['checked'], ReturnType<typeof answer>, string | null]>([
    ['a text as it stands', { kind: 'text', text: text('TWCU7700008'), present: true }, page, null],
    ['a text as people read it', { kind: 'text', text: text('Booked & weighed'), present: true }, page, null],
    ['a text over a line break', { kind: 'text', text: text('TWCU7700008 has 1,250 kg'), present: true }, page, null],
    ['a text that is missing', { kind: 'text', text: text('Released'), present: true }, page, 'The answer does not hold “Released”.'],
    ['a text that must not be', { kind: 'text', text: text('weighed'), present: false }, page, 'The answer holds “weighed”.'],
    [
      'a member',
      { kind: 'value', extractor: { kind: 'jsonpath', path: '$.kg', pick: 'first' }, is: 'more', than: text('1,000') },
      data,
      null,
    ],
    [
      'a member that differs',
      { kind: 'value', extractor: { kind: 'jsonpath', path: '$.kg', pick: 'first' }, is: 'equals', than: text('1300') },
      data,
      '$.kg is “1250”, where it should be: is “1300”.',
    ],
    ['any of several', { kind: 'value', extractor: rows, is: 'equals', than: text('b') }, data, null],
    [
      'what is not there',
      { kind: 'value', extractor: { kind: 'header', name: 'x-a' }, is: 'filled', than: [] },
      data,
      'The header x-a is empty, where it should be: is not empty.',
    ],
    ['a count', { kind: 'count', extractor: { ...rows, pick: 'first' }, atLeast: 2, atMost: 2 }, data, null],
    [
      'too few',
      { kind: 'count', extractor: { kind: 'jsonpath', path: '$.none[*]', pick: 'first' }, atLeast: 1, atMost: null },
      data,
      'There are 0 of $.none[*], where at least 1 are wanted.',
    ],
    [
      'a count of an expression',
      { kind: 'count', extractor: { kind: 'regex', pattern: '<li>', nth: 0 }, atLeast: 3, atMost: 3 },
      page,
      null,
    ],
    ['a status', { kind: 'status', statuses: [201, 204] }, page, 'It answered 200 instead of 201 or 204.'],
    ['a redirect', { kind: 'redirect', to: text('/intakes/7') }, answer('text/html', '', { location: 'http://h/intakes/7?a' }), null],
    ['no redirect', { kind: 'redirect', to: text('/x') }, page, 'It does not redirect, where it should lead to “/x”.'],
    ['a size', { kind: 'size', atLeast: 10, atMost: 20 }, data, `The answer has ${data.bytes} bytes, where 10 to 20 are wanted.`],
    ['a time', { kind: 'time', atMostMs: 30 }, page, 'It answered in 40 ms, where at most 30 ms are wanted.'],
  ])('hold or say why not: %s', (_name, checked, given, sentence) => {
    expect(checkFailure(check(checked), given, recordedText)).toBe(sentence);
  });

  it('are filled with what is sent now', () => {
    const ownCheck = check({
      kind: 'text',
      text: [{ kind: 'data', table: 't', column: 'container', recorded: 'TWCU7700008' }],
      present: true,
    });
    expect(checkFailure(ownCheck, page, () => 'TWCU7700013')).toBe('The answer does not hold “TWCU7700013”.');
    expect(describeCheck(ownCheck, () => '[container]')).toBe('holds “[container]”');
  });

  it('compare numbers as numbers, and nothing that is none', () => {
    expect([compares('9', 'less', '10'), compares('', 'less', '1'), compares('x', 'more', '1'), compares('-1.5', 'less', '0')]).toEqual([
      true,
      false,
      false,
      true,
    ]);
    expect(compares('Grower 12', 'matches', '^Grower \\d+$')).toBe(true);
  });

  it('say beforehand what is wrong with them', () => {
    expect(checkProblem(check({ kind: 'value', extractor: { kind: 'regex', pattern: '(', nth: 0 }, is: 'filled', than: [] }))).toContain(
      'not valid',
    );
    expect(checkProblem(check({ kind: 'value', extractor: rows, is: 'matches', than: text('[') }))).toContain('not valid');
    expect(checkProblem(check({ kind: 'count', extractor: rows, atLeast: 3, atMost: 2 }))).toBe('The most is less than the least.');
    expect(checkProblem(check({ kind: 'text', text: [], present: true }))).toContain('Write the text');
    expect(checkProblem(check({ kind: 'status', statuses: [200] }))).toBeNull();
  });
});

describe('failure signs that a take shows itself', () => {
  const signs: FailureSign[] = [
    { kind: 'text', text: 'not authorized' },
    { kind: 'title', text: 'Error' },
    { kind: 'element', text: 'fault' },
  ];

  it('are found by step, so that they say nothing there', () => {
    const take = new TakeBuilder()
      .add(['GET', '/texts'], [200, json, '{"denied":"You are not authorized."}'])
      .add(['GET', '/page'], [200, html, '<title>Errors of today</title><p>not authorized</p>'])
      .add(['GET', '/data'], [200, json, '{"fault":{"code":4}}'])
      .add(['GET', '/good'], [200, json, '{"fault":null}'])
      .load();
    const script = scriptFromTake(take, { scriptId: 's', name: 's', tidy: everything });
    expect(shownSigns(script, take, signs)).toEqual({ s1: [signs[0]], s2: [signs[0], signs[1]], s3: [signs[2]] });
    expect(shownSigns(script, take, [])).toEqual({});
  });

  it('are looked for in time that grows with the answer, whatever it holds', () => {
    const xml = (body: string) => new TakeBuilder().add(['GET', '/'], [200, [['Content-Type', 'application/xml']], body]).load();
    const textsOf = (body: string) => heldBy(xml(body), { kind: 'element', text: 'fault' }, 9).map((held) => held.sentence);
    expect(textsOf('<r><s:fault code="4">Lot is closed</s:fault></r>')).toEqual([expect.stringContaining('<fault> with “Lot is closed”')]);
    expect(textsOf('<r><fault\n></fault></r>')).toEqual(['It holds the element <fault>, which is a failure sign.']);
    expect(textsOf('<r><faults>1</faults><default>fault</default></r>')).toEqual([]);
    // Tags that begin and never end.
    expect(textsOf(`<r>${'<fault '.repeat(300_000)}`)).toEqual([]);
  });
});
