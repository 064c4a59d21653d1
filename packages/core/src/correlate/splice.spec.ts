import {
  correlate,
  exchangesOf,
  recordedText,
  requestSteps,
  scriptFromTake,
  splice,
  usePlaces,
  type LoadedTake,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, html, TakeBuilder } from '../test/take-builder.js';

/** A desk with a hidden key; an order that gets an id; between both, where wanted, a note that has a stamp of its own. */
function flow(key: string, order: string, note?: string): LoadedTake {
  const builder = new TakeBuilder()
    .add(['GET', '/desk'], [200, html, `<form><input type=hidden name=deskkey value="${key}"></form>`])
    .add(['POST', '/orders', form, `deskkey=${key}&goods=cod`], [303, [['Location', `/orders/${order}`]]])
    .add(['GET', `/orders/${order}`], [200, html, `<h1>Order</h1>`]);
  if (note !== undefined)
    builder
      .add(['GET', `/orders/${order}/note`], [200, html, `<form><input type=hidden name=stamp value="${note}"></form>`])
      .add(['POST', `/orders/${order}/note`, form, `stamp=${note}&deskkey=${key}&text=mind+the+lid`], [200, html, 'noted']);
  return builder.add(['GET', '/bye'], [200, html, 'bye']).load();
}
const [first, second, longer] = [
  flow('k-93fa20b1', '4711'),
  flow('k-0b77c1d4', '4813'),
  flow('k-77aa31ef', '4999', 'st-5513aabb'),
] as const;
const script: Script = correlate(scriptFromTake(first, { scriptId: 's', name: 'S', tidy: everything }), first, second).script;
/** What a step sends, with the names of handoffs in brackets. */
const sent = (ownScript: Script, id: string): string => {
  const step = requestSteps(ownScript).find((numberedStep) => numberedStep.step.id === id)?.step;
  const names = new Map(ownScript.handoffs.map((handoff) => [handoff.id, handoff.name]));
  const say = (template: NonNullable<typeof step>['url']): string =>
    template
      .map((piece) =>
        piece.kind === 'handoff'
          ? `[${names.get(piece.handoff) ?? '?'}]`
          : piece.kind === 'wrap'
            ? say(piece.pieces)
            : piece.kind === 'text'
              ? piece.text
              : piece.recorded,
      )
      .join('');
  return step ? `${step.method} ${say(step.url)}${step.body ? ` ${say(step.body)}` : ''}` : '';
};

describe('putting a piece of another take into a script', () => {
  const done = splice(script, first, longer, { from: 4, to: 5, after: 's3', instead: [] }, everything, []);
  const ids = requestSteps(done.script).map(({ step }) => step.id);

  it('puts its steps behind the wanted one, and its exchanges into the take between those around it', () => {
    expect(requestSteps(done.script).map(({ step }) => `${step.method} ${recordedText(step.url)}`)).toEqual([
      'GET /desk',
      'POST /orders',
      'GET /orders/4711',
      'GET /orders/4999/note',
      'POST /orders/4999/note',
      'GET /bye',
    ]);
    expect(done.added.length).toBeGreaterThanOrEqual(2);
    expect(requestSteps(done.script).flatMap(({ step }) => exchangesOf(step))).toEqual([1, 2, 3, 4, 5, 6]);
    const times = done.exchanges.map((exchange) => exchange.startedAtMs);
    expect([...times].sort((left, right) => left - right)).toEqual(times);
    expect(done.exchanges.map((exchange) => exchange.n)).toEqual([1, 2, 3, 4, 5, 6]);
  });

  it('reads what the piece sends where this script has the same answer, and the rest in the piece itself', () => {
    const [, , , opened = '', saved = ''] = ids;
    const key = script.handoffs.find((handoff) => handoff.recorded === 'k-93fa20b1')?.name ?? '';
    const order = script.handoffs.find((handoff) => handoff.recorded === '4711')?.name ?? '';
    expect(sent(done.script, opened)).toBe(`GET /orders/[${order}]/note`);
    expect(sent(done.script, saved)).toMatch(
      new RegExp(`^POST /orders/\\[${order}\\]/note stamp=\\[[^\\]]+\\]&deskkey=\\[${key}\\]&text=mind\\+the\\+lid$`),
    );
    const stamp = done.script.handoffs.find((handoff) => handoff.recorded === 'st-5513aabb');
    expect(stamp?.origin).toBe(opened);
    expect(done.missing).toEqual([]);
    // Handoffs that were there have got their uses, and no second one reads the same.
    expect(done.script.handoffs).toHaveLength(script.handoffs.length + 1);
    expect(usePlaces(done.script).get(script.handoffs.find((handoff) => handoff.name === key)?.id ?? '')).toHaveLength(2);
  });

  it('comes in the place of steps, whose handoffs are then read where they are read next', () => {
    const take = flow('k-5566aabb', '5005');
    const again = splice(script, first, take, { from: 2, to: 3, after: 's3', instead: ['s2', 's3'] }, everything, []);
    expect(requestSteps(again.script).map(({ step }) => `${step.method} ${recordedText(step.url)}`)).toEqual([
      'GET /desk',
      'POST /orders',
      'GET /orders/5005',
      'GET /bye',
    ]);
    const [, posted, opened] = requestSteps(again.script).map(({ step }) => step.id);
    expect(sent(again.script, posted ?? '')).toContain('deskkey=[');
    expect(sent(again.script, opened ?? '')).toMatch(/^GET \/orders\/\[/);
    // The id that later steps send is read in the new piece, by the handoff that was there.
    const before = script.handoffs.find((handoff) => handoff.recorded === '4711');
    expect(again.script.handoffs.find((handoff) => handoff.id === before?.id)).toMatchObject({ origin: posted, name: before?.name });
    expect(again.script.handoffs).toHaveLength(script.handoffs.length);
    expect(again.exchanges).toHaveLength(6);
  });

  it('says what the script reads nowhere, and refuses a piece without a request', () => {
    const lone = new TakeBuilder()
      .add(['GET', '/elsewhere'], [200, html, '<form><input type=hidden name=token value="tk-99887766"></form>'])
      .add(['POST', '/elsewhere', form, 'token=tk-99887766'], [200, html, ''])
      .load();
    const odd = splice(script, first, lone, { from: 2, to: 2, after: 's3', instead: [] }, everything, []);
    expect(odd.missing).toHaveLength(1);
    expect(sent(odd.script, odd.added.at(-1) ?? '')).toBe('POST /elsewhere token=tk-99887766');
    expect(() => splice(script, first, lone, { from: 8, to: 9, after: 's3', instead: [] }, everything, [])).toThrow('no request between');
  });
});
