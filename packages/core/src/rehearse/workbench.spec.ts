import {
  correlate,
  editScript,
  judgeRehearsal,
  locateMatches,
  ResponseView,
  scriptFromTake,
  Workbench,
  type Extractor,
  type Handoff,
  type Header,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback } from '../test/playback.js';
import { form, html, TakeBuilder } from '../test/take-builder.js';

const view = (type: string, body: string, headers: Header[] = []) => new ResponseView(200, [['Content-Type', type], ...headers], body);

describe('where the matches of an extractor stand', () => {
  const shown = (extractor: Extractor, response: ResponseView) =>
    locateMatches(extractor, response).map(({ value, span, picked }) => [value, span && response.body.slice(span.start, span.end), picked]);

  it.each<[string, Extractor, ResponseView, (string | boolean | null)[][]]>([
    [
      'form fields, escaped as they stand in the page',
      { kind: 'field', name: 'k', nth: 1 },
      view('text/html', '<input name=k value="1"><input name="k" value="a&amp;b"><textarea name=k>long text</textarea>'),
      [
        ['1', '1', false],
        ['a&b', 'a&amp;b', true],
        ['long text', 'long text', false],
      ],
    ],
    [
      'a value that its own name holds too',
      { kind: 'field', name: 'key', nth: 0 },
      view('text/html', '<input name="key" value="key">'),
      [['key', 'key', true]],
    ],
    [
      'members of JSON, the last one picked',
      { kind: 'jsonpath', path: '$.items[*].id', pick: 'last' },
      view('application/json', '{"id":7,"items":[{"id":7},{"id":"x\\/y"}]}'),
      [
        ['7', '7', false],
        ['x/y', '"x\\/y"', true],
      ],
    ],
    [
      'elements of XML',
      { kind: 'xml', path: '/a/b', nth: 0 },
      view('text/xml', '<a><b> one </b><b>two</b></a>'),
      [
        ['one', 'one', true],
        ['two', 'two', false],
      ],
    ],
    [
      'any of what an expression finds',
      { kind: 'regex', pattern: 'n=(\\d)', nth: 0, pick: 'any' },
      view('text/plain', 'n=1 n=2'),
      [
        ['1', '1', true],
        ['2', '2', true],
      ],
    ],
    [
      'a header, which stands in no body',
      { kind: 'header', name: 'etag' },
      view('text/html', 'v7', [['ETag', 'v7']]),
      [['v7', null, true]],
    ],
  ])('%s', (_, extractor, response, expected) => {
    expect(shown(extractor, response)).toEqual(expected);
  });

  it('of JSON stand at the member that the path leads to, not at the same value elsewhere', () => {
    const [match] = locateMatches({ kind: 'jsonpath', path: '$.b', pick: 'first' }, view('application/json', '{"a":7,"b":7}'));
    expect(match?.span).toEqual({ start: 11, end: 12 });
  });
});

describe('the workbench of a handoff', () => {
  const page = (token: string, more = '') =>
    `<form><input type="hidden" name="stamp" value="${token}"></form>${more}<i data-x="${token}"></i>`;
  const take = (token: string) =>
    new TakeBuilder()
      .add(['GET', '/page'], [200, html, page(token)])
      .add(['POST', '/save', form, `stamp=${token}`], [200, html, '<p>saved</p>'])
      .load();
  const [first, second] = [take('tk-1111aaaa'), take('tk-2222bbbb')];
  const { script } = correlate(scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }), first, second);
  const [handoff] = script.handoffs as [Handoff];
  const played = playback(script, { s1: [200, html, page('tk-3333cccc', '<b>new</b>')], s2: [200, html, '<p>saved</p>'] });
  const bench = new Workbench(script, first, second, [{ number: 4, steps: played.steps, failed: [], readBody: played.readBody }]);

  it('tries a way to read it on the take, the second take and the rehearsals, and knows what is right where it can', () => {
    const { tried, problem } = bench.try(handoff, { kind: 'attribute', element: 'i', by: null, attribute: 'data-x', nth: 0 });
    expect(problem).toBeNull();
    expect(
      tried.map(({ source, rehearsal, expected, verdict, matches }) => [source, rehearsal, expected, verdict, matches[0]?.value]),
    ).toEqual([
      ['take', null, 'tk-1111aaaa', 'right', 'tk-1111aaaa'],
      ['second-take', null, 'tk-2222bbbb', 'right', 'tk-2222bbbb'],
      ['rehearsal', 4, null, 'read', 'tk-3333cccc'],
    ]);
  });

  it('says where a way is wrong, finds nothing, or is no expression at all', () => {
    const verdicts = (extractor: Extractor) => bench.try(handoff, extractor).tried.map((response) => response.verdict);
    expect(verdicts({ kind: 'regex', pattern: 'tk-(\\w+)', nth: 0 })).toEqual(['wrong', 'wrong', 'read']);
    expect(verdicts({ kind: 'field', name: 'other', nth: 0 })).toEqual(['nothing', 'nothing', 'nothing']);
    expect(bench.try(handoff, { kind: 'regex', pattern: '(', nth: 0 })).toMatchObject({
      tried: [],
      problem: expect.stringContaining('missing closing') as string,
    });
    expect(bench.try(handoff, { kind: 'jsonpath', path: '$[', pick: 'first' }).problem).toContain('cannot be read');
  });

  it('proposes other ways, those that are right on everything first, and marks the one in use', () => {
    const proposals = bench.proposals(handoff);
    expect(proposals.map((proposal) => [proposal.describes, proposal.right, proposal.wrong, proposal.read, proposal.inUse])).toEqual([
      ['the form field stamp', 2, 0, 1, true],
      ['the attribute data-x of <i>', 2, 0, 1, false],
      ['the text between “value="” and “"”', 2, 0, 1, false],
      ['the text that value="([^\\s"\'<>]+) finds', 2, 0, 1, false],
    ]);
  });

  it('does not hold an answer against it whose step had failed', () => {
    const failed = playback(script, { s1: [500, html, 'down'] });
    const workbench = new Workbench(script, first, null, [{ number: 1, steps: failed.steps, failed: ['s1'], readBody: failed.readBody }]);
    expect(workbench.try(handoff, handoff.extractor).tried.map((response) => response.verdict)).toEqual(['right', 'refused']);
  });

  it('finds other answers of the take where it matches too', () => {
    expect(bench.try(handoff, { kind: 'regex', pattern: '<p>(\\w+)', nth: 0 }, true).elsewhere).toEqual([{ step: 's2', count: 1 }]);
  });
});

describe('accepting an answer', () => {
  const recorded = new TakeBuilder()
    .add(['GET', '/a'], [200, html, '<title>Stock</title><table><tr><td>1</td></tr></table>'])
    .add(['POST', '/b', form, 'x=1'], [303, [['Location', '/done']]])
    .load();
  const script = scriptFromTake(recorded, { scriptId: 's', name: 's', tidy: everything });
  const judged = (ownScript: typeof script, answers: Parameters<typeof playback>[1]) =>
    judgeRehearsal(ownScript, recorded, playback(ownScript, answers)).steps;

  it.each<[string, Parameters<typeof playback>[1], number, string]>([
    ['another status', { s1: [304, []], s2: [303, [['Location', '/done']]] }, 0, 'status 304'],
    [
      'another place to go to',
      { s1: [200, html, '<title>Stock</title><table><tr><td>1</td></tr></table>'], s2: [303, [['Location', '/else']]] },
      1,
      'a redirect to /else',
    ],
    [
      'a page built differently',
      { s1: [200, html, '<title>Stock</title><ul><li>a<li>b<li>c</ul><form><input name=q></form>'] },
      0,
      'an answer that is built differently',
    ],
    [
      'an alert',
      { s1: [200, html, '<title>Stock</title><table><tr><td>1</td></tr></table><p role=alert>Stocktaking today</p>'] },
      0,
      'an answer that tells of trouble',
    ],
  ])('lets this step pass from then on, and says what it accepts: %s', (_, answers, at, sentence) => {
    const before = judged(script, answers)[at];
    expect(before?.verdict).not.toBe('passed');
    expect(before?.accept?.sentence).toContain(sentence);
    if (!before?.accept) throw new Error('nothing to accept');
    const wider = editScript(script, { kind: 'set-expect', id: before.step, expect: before.accept.expect });
    expect(judged(wider, answers)[at]?.verdict).toBe('passed');
  });

  it('lets a redirect lead to the accepted place and to the one of the take, and to no third one', () => {
    const to = (place: string) => judged(script, { s2: [303, [['Location', place]]] })[1];
    const accepted = to('/else')?.accept?.expect;
    if (!accepted) throw new Error('nothing to accept');
    const wider = editScript(script, { kind: 'set-expect', id: 's2', expect: accepted });
    expect(['/else', '/done', '/third'].map((place) => judged(wider, { s2: [303, [['Location', place]]] })[1]?.verdict)).toEqual([
      'passed',
      'passed',
      'failed',
    ]);
  });

  it('is not offered where a value that was sent stale tells why, nor against a failure sign', () => {
    const page = '<title>Stock</title><p>The stock is closed</p>';
    const captured = playback(script, { s1: [200, html, page] });
    const [step] = judgeRehearsal(script, recorded, { ...captured, failureSigns: [{ kind: 'text', text: 'stock is closed' }] }).steps;
    expect([step?.verdict, step?.accept]).toEqual(['failed', undefined]);
  });
});
