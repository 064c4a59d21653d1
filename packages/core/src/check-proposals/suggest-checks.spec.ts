import {
  bindColumn,
  correlate,
  editScript,
  requestSteps,
  scriptFromTake,
  suggestChecks,
  tryCheck,
  type Check,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback } from '../test/playback.js';
import { form, html, TakeBuilder } from '../test/take-builder.js';

/** Books an intake of goods; the page shows what was booked, and a way out where one is signed in. */
const page = (goods: string, heading = 'Intake booked', out = '<a href="/out">Sign out</a>') =>
  `<title>Yard</title><h1>${heading}</h1><p>${goods} &amp; pallets</p>${out}`;
const flow = (goods: string, weight: string) =>
  new TakeBuilder()
    .add(['GET', '/new'], [200, html, page('nothing yet', 'New intake')])
    .add(['POST', '/book', form, `goods=${encodeURIComponent(goods)}&weight=${weight}&kind=dry`], [200, html, page(goods)])
    .load();
const first = flow('Frozen cod', '12500');
const second = flow('Blue mussels', '9800');
const raw = scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything });
const bound = bindColumn(raw, 'Frozen cod', [{ step: 's2', place: 'form:goods' }], 't', 'goods');
const replay = (script: Script, goods: string, answer: string) => ({
  ...playback(script, { s2: [200, html, answer] }, { s2: `goods=${encodeURIComponent(goods)}&weight=12500&kind=dry` }),
  failed: [] as string[],
});
const suggestions = (script: Script, ...rest: [Parameters<typeof suggestChecks>[2], Parameters<typeof suggestChecks>[3]]) =>
  suggestChecks(script, first, ...rest).map((check) => [
    check.step,
    check.check.checked.kind === 'text'
      ? check.check.checked.text.map((piece) => (piece.kind === 'text' ? piece.text : piece.kind)).join('')
      : '',
    check.heldOn,
  ]);

describe('suggested checks', () => {
  it('ask for what was entered, the heading and the way out, and were tried on both takes', () => {
    expect(suggestions(raw, second, [])).toEqual([
      ['s1', 'New intake', 2],
      ['s1', 'Sign out', 2],
      ['s2', 'Frozen cod', 2],
      ['s2', 'Intake booked', 2],
      ['s2', 'Sign out', 2],
    ]);
  });

  it('ask for the very column that was sent, in rehearsals too, and never fail on a good answer', () => {
    expect(suggestions(bound, null, [replay(bound, 'Red plums', page('Red plums'))])).toContainEqual(['s2', 'data', 2]);
    // A page that is good and lacks it says that the check is none.
    expect(suggestions(bound, null, [replay(bound, 'Red plums', page('something else'))]).filter(([, text]) => text === 'data')).toEqual(
      [],
    );
    const failed = { ...replay(bound, 'Red plums', page('something else')), failed: ['s2'] };
    expect(suggestions(bound, null, [failed])).toContainEqual(['s2', 'data', 1]);
    expect(
      suggestions(raw, flow('Frozen cod', '12500'), [replay(raw, 'Frozen cod', page('Frozen cod', 'Booked', ''))]).map(([, text]) => text),
    ).toEqual(['New intake', 'Sign out', 'Frozen cod']);
  });

  it('follow a value that is taken from data once they are there', () => {
    const check: Check = {
      id: 'c',
      checked: { kind: 'text', text: [{ kind: 'text', text: 'Got Frozen cod today' }], present: true },
      onFailure: 'mark',
    };
    const with1 = editScript(raw, { kind: 'add-checks', checks: [{ step: 's2', check }] });
    const script = bindColumn(with1, 'Frozen cod', [{ step: 's2', place: 'form:goods' }], 't', 'goods');
    const piece = { kind: 'data', table: 't', column: 'goods', recorded: 'Frozen cod' };
    expect(requestSteps(script)[1]?.step.checks).toMatchObject([
      { checked: { text: [{ kind: 'text', text: 'Got ' }, piece, { kind: 'text', text: ' today' }] } },
    ]);
  });

  it('are not proposed twice once they were accepted', () => {
    const all = suggestChecks(raw, first, second, []);
    const with2 = editScript(raw, { kind: 'add-checks', checks: all.map(({ step, check }) => ({ step, check })) });
    expect(suggestChecks(with2, first, second, [])).toEqual([]);
    expect(requestSteps(with2).map(({ step }) => step.checks?.length)).toEqual([2, 3]);
    const { script } = correlate(with2, first, second);
    expect(requestSteps(script).map(({ step }) => step.checks?.length)).toEqual([2, 3]);
  });
});

describe('trying a check', () => {
  const check: Check = {
    id: 'c',
    checked: { kind: 'text', text: [{ kind: 'data', table: 't', column: 'goods', recorded: 'Frozen cod' }], present: true },
    onFailure: 'mark',
  };
  it('says what it says of every answer at hand, with what was sent there', () => {
    const good = { ...replay(bound, 'Red plums', page('Red plums')), number: 1 };
    const bad = { ...replay(bound, 'Red plums', page('Frozen cod')), number: 2 };
    expect(tryCheck(bound, first, second, [good, bad], 's2', check)).toEqual({
      problem: null,
      tried: [
        { source: 'take', rehearsal: null, failure: null, stepFailed: false },
        { source: 'second-take', rehearsal: null, failure: null, stepFailed: false },
        { source: 'rehearsal', rehearsal: 1, failure: null, stepFailed: false },
        { source: 'rehearsal', rehearsal: 2, failure: 'The answer does not hold “Red plums”.', stepFailed: false },
      ],
    });
  });
  it('says what is wrong with the check itself', () => {
    const broken: Check = {
      ...check,
      checked: { kind: 'count', extractor: { kind: 'regex', pattern: '(', nth: 0 }, atLeast: 1, atMost: null },
    };
    expect(tryCheck(bound, first, null, [], 's2', broken).problem).toContain('not valid');
  });
});
