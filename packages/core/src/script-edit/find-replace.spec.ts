import {
  bindValue,
  editScript,
  findInScript,
  recordedText,
  replaceInScript,
  requestSteps,
  sayScriptChange,
  scriptFromTake,
  type FindWish,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, html, TakeBuilder } from '../test/take-builder.js';

const take = new TakeBuilder()
  .add(['GET', '/store/a?lang=en', [['X-Lang', 'en']]], [200, html, ''])
  .add(['POST', '/store/a', form, 'lang=en&note=an+end&no=K77'], [200, html, ''])
  .load();
const plain = scriptFromTake(take, { scriptId: 's', name: 'S', tidy: everything });
const script = editScript(
  bindValue(plain, 'K77', [{ step: 's2', place: 'form:no' }], [{ kind: 'variable', name: 'en', recorded: 'K77' }]),
  {
    kind: 'insert',
    after: 's1',
    steps: [
      { kind: 'comment', id: 'c', text: 'en route' },
      { kind: 'code', id: 'j', name: 'lang', source: "variables.en = 'en';", timeMs: 50, memoryMb: 16 },
      {
        kind: 'when',
        id: 'w',
        name: 'When en',
        condition: { left: [{ kind: 'text', text: 'en' }], is: 'equals', right: [] },
        steps: [{ kind: 'log', id: 'l', text: [{ kind: 'text', text: 'en' }] }],
      },
    ],
  },
);
const wish = (text: string, more: Partial<FindWish> = {}): FindWish => ({ text, expression: false, anyCase: false, ...more });
const hitsOf = (list: ReturnType<typeof findInScript>) =>
  list.map((hit) => `${hit.id} ${hit.where}: ${hit.around.before}[${hit.around.found}]${hit.around.after}`);

describe('finding a text in a script', () => {
  it('looks into names, addresses, headers, bodies, conditions, code and comments; what moves is no text', () => {
    expect(hitsOf(findInScript(script, wish('en')))).toEqual([
      's1 url: /store/a?lang=[en]',
      's1 header X-Lang: [en]',
      'c comment: [en] route',
      "j code: variables.[en] = 'en';",
      "j code: variables.en = '[en]';",
      'w condition: [en]',
      'l log: [en]',
      'w name: Wh[en] en',
      'w name: When [en]',
      's2 header Content-Type: application/x-www-form-url[en]coded',
      's2 body: lang=[en]&note=an+end&no=',
      's2 body: lang=en&note=an+[en]d&no=',
    ]);
  });

  it('takes expressions, with groups in what replaces them, whatever the case of letters', () => {
    const expression = wish('LANG=(\\w+)', { expression: true, anyCase: true });
    expect(findInScript(script, expression, 'tongue=$1-GB').map((hit) => hit.instead)).toEqual(['tongue=en-GB', 'tongue=en-GB']);
    const done = replaceInScript(script, expression, 'tongue=$1-GB', null);
    expect(requestSteps(done).map(({ step }) => recordedText(step.url))).toEqual(['/store/a?tongue=en-GB', '/store/a']);
    expect(() => findInScript(script, wish('(', { expression: true }))).toThrow();
  });

  it('replaces just what was ticked, and moving pieces stay', () => {
    const hits = findInScript(script, wish('en'));
    const keys = hits.filter((hit) => hit.where === 'body' && hit.around.before.endsWith('lang=')).map((hit) => hit.key);
    const done = replaceInScript(script, wish('en'), 'de', keys);
    const [, second] = requestSteps(done);
    expect(recordedText(second?.step.body ?? [])).toBe('lang=de&note=an+end&no=K77');
    expect(second?.step.body?.at(-1)).toMatchObject({ kind: 'wrap', pieces: [{ kind: 'variable', name: 'en' }] });
    expect(requestSteps(done)[0]?.step).toEqual(requestSteps(script)[0]?.step);
  });

  it('changes nothing where it finds nothing', () => {
    expect(replaceInScript(script, wish('nowhere'), 'x', null)).toBe(script);
    expect(findInScript(script, wish('x*', { expression: true }))).toEqual([]);
  });
});

describe('what was changed in a script, in words', () => {
  const say = (after: Script) => sayScriptChange(script, after);
  it('counts steps, handoffs and values, and tells names and order', () => {
    expect(say(script)).toBe('');
    expect(say(editScript(script, { kind: 'delete', id: 'j' }))).toBe('1 step removed');
    expect(say(editScript(script, { kind: 'rename', id: 's1', name: 'Open' }))).toBe('1 step changed');
    expect(say(editScript(script, { kind: 'move', id: 's1', by: 1 }))).toBe('steps moved');
    expect(say(editScript(script, { kind: 'rename', id: 's', name: 'T' }))).toBe('called T');
    expect(say(editScript(script, { kind: 'set-phase', id: 't1', phase: 'before' }))).toBe('transactions changed');
    const two = editScript(script, {
      kind: 'insert',
      after: 's1',
      steps: [
        { kind: 'pause', id: 'p', ms: 1 },
        { kind: 'pause', id: 'q', ms: 1 },
      ],
    });
    expect(say({ ...two, made: [{ id: 'm', name: 'm', made: 'guid', recorded: '', reason: '' }] })).toBe(
      '2 steps added, 1 client-made value added',
    );
  });
});
