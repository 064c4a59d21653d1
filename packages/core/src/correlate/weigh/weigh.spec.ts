import { correlate, coverage, scriptFromTake, type LoadedTake } from '../../index.js';
import { everything } from '../../tidy/tidy.schema.js';
import { form, html, json, TakeBuilder } from '../../test/take-builder.js';
import { evidenceOf, surprisal, weigh } from './weigh.js';
import type { Origin } from '../find/value-index.js';

const scripted = (loaded: LoadedTake) => scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: everything });
const correlated = (first: LoadedTake, second: LoadedTake | null) => correlate(scripted(first), first, second).script;

describe('the weight of a match', () => {
  it('of a small number is that of its leading digits (Benford 1938, table of 1 to 9: 30.1, 17.6, 12.5 … 4.6 %)', () => {
    expect([1, 2, 3, 9].map((value) => Math.round(1000 * 2 ** -surprisal(String(value))) / 10)).toEqual([30.1, 17.6, 12.5, 4.6]);
  });

  it('is the sum of log2(m/u) of what agrees (Fellegi and Sunter 1969): a name adds, chances to match by accident take away', () => {
    const origin = { extractor: { kind: 'field', name: 'x', nth: 0 }, name: 'count', linked: false } as unknown as Origin;
    const plain = { name: 'farm', sameForm: 1, offered: [], created: false, narrowed: false, repeats: false, sharedPath: false };
    const alone = weigh(origin, '47', '51', plain);
    expect(alone.bits - weigh(origin, '47', '51', { ...plain, sameForm: 8 }).bits).toBeCloseTo(3, 9);
    expect(alone.bits - weigh(origin, '47', undefined, plain).bits).toBeCloseTo(surprisal('51'), 9);
    const named = weigh({ ...origin, name: 'farm' }, '47', '51', plain);
    expect(named.tie).toBeGreaterThan(alone.tie);
    // Any of four, in both takes, could have matched four times as easily in each.
    expect(alone.bits - weigh(origin, '47', '51', { ...plain, offered: [4, 4] }).bits).toBeCloseTo(4, 9);
  });

  it('never proves a short value without a tie by two takes alone', () => {
    expect(evidenceOf({ bits: 40, tie: 0 }, '473')).toBe('likely');
    expect(evidenceOf({ bits: 40, tie: 8 }, '473')).toBe('proven');
    expect(evidenceOf({ bits: 40, tie: 0 }, 'q7f3aa01bc9d')).toBe('proven');
    expect(evidenceOf({ bits: 2, tie: 0 }, '2')).toBeNull();
  });
});

describe('coincidences', () => {
  /** A form whose choice went from 2 to 3 while a count on the same page went from 2 to 3. */
  const choosing = (choice: string, count: string, options = ['1', '2', '3', '4']) =>
    new TakeBuilder()
      .add(
        ['GET', '/new'],
        [200, html, `<p>You have ${count} loads</p><a href="/list?total=${count}">all</a><form action="/save"><select name="kind">${options.map((option) => `<option value="${option}">Kind ${option}</option>`).join('')}</select><input name="note"></form>`], // prettier-ignore
      )
      .add(['POST', '/save', form, `kind=${choice}&note=Hello`], [200, html, 'Saved'])
      .load();

  it('a choice that the form offers stays the person’s choice, whatever number on the page moves alike', () => {
    const script = correlated(choosing('2', '2'), choosing('3', '3'));
    expect(script.handoffs).toEqual([]);
    expect(script.unsure).toEqual([]);
  });

  it('a choice follows where what is offered has moved: by its position, or by its label', () => {
    const byPosition = correlated(choosing('41', '2', ['40', '41']), choosing('73', '2', ['72', '73']));
    expect(byPosition.handoffs).toMatchObject([{ recorded: '41', extractor: { kind: 'attribute', element: 'option', nth: 1 } }]);
    const labelled = (choice: string, options: [string, string][]) =>
      new TakeBuilder()
        .add(
          ['GET', '/new'],
          [
            200,
            html,
            `<form><select name="kind">${options.map(([value, label]) => `<option value="${value}">${label}</option>`).join('')}</select><input name="n"></form>`,
          ],
        ) // prettier-ignore
        .add(['POST', '/save', form, `kind=${choice}&n=x`], [200, html, ''])
        .load();
    const byLabel = correlated(labelled('41', [['40', 'Ice'], ['41', 'Peas']]), labelled('72', [['72', 'Peas'], ['73', 'Ice']])); // prettier-ignore
    expect(byLabel.handoffs).toMatchObject([{ recorded: '41', extractor: { element: 'option', beside: [{ text: 'Peas' }] } }]);
  });

  it('a flag that is the same in both takes is no id, though the answer to a change holds the same number', () => {
    const flow = (id: number) =>
      new TakeBuilder()
        .add(['POST', '/api/farms', json, '{"name":"Hill"}'], [200, json, `{"id":${id},"active":1,"rank":1}`])
        .add(['POST', '/api/visits', json, `{"farmId":${id},"urgent":1,"silent":1}`], [200, json, '{}'])
        .load();
    expect(correlated(flow(4711), flow(4718)).handoffs.map((handoff) => handoff.recorded)).toEqual(['4711']);
  });

  it('nor is what was sent under this name before the change', () => {
    const flow = (id: number) =>
      new TakeBuilder()
        .add(['GET', '/tree?server_id=1'], [200, html, ''])
        .add(['POST', '/sign-in', form, `user=kim${id}&server_id=1`], [303, [['Location', '/desk?server_id=1']]])
        .add(['GET', '/desk?server_id=1'], [200, html, ''])
        .add(['POST', '/save', form, 'server_id=1'], [200, html, ''])
        .load();
    expect(correlated(flow(1), flow(2)).handoffs).toEqual([]);
  });

  it('what both takes sent alike did not come from a place that gave another value in the second', () => {
    const flow = (count: string) =>
      new TakeBuilder()
        .add(['GET', '/a'], [200, json, `{"limit":"${count}"}`])
        .add(['POST', '/b', json, '{"limit":"12345"}'], [200, json, '{}'])
        .load();
    expect(correlated(flow('12345'), flow('77777')).handoffs).toEqual([]);
  });
});

describe('one text, one decision', () => {
  it('a composite that is sent twice moves in both places, whatever its fields are called', () => {
    const flow = (id: string) =>
      new TakeBuilder()
        .add(['POST', '/api/farms', json, '{"name":"Hill"}'], [200, json, `{"id":${id}}`])
        .add(['POST', '/q', form, `where=${encodeURIComponent(`farm.id = ${id}`)}`], [200, json, '{}'])
        .add(['POST', '/q', form, `op=change&part%5B0%5D=${encodeURIComponent(`farm.id = ${id}`)}`], [200, json, '{}'])
        .load();
    const script = correlated(flow('34'), flow('51'));
    const moving = coverage(script).filter((value) => value.class === 'handed-off');
    expect(moving.map((value) => value.place)).toEqual(['form:where', 'form:part[0]']);
    expect(script.handoffs).toHaveLength(1);
  });

  it('a credential in base64 is wrapped anew in every request that sends it, and none of them is drawn', () => {
    const base64 = (text: string) => Buffer.from(text).toString('base64');
    const flow = (key: string) => {
      const authorization: [string, string][] = [['Authorization', `Basic ${base64(`kim:9:${key}`)}`]];
      return new TakeBuilder()
        .add(['POST', '/in', json, '{"method":"in"}'], [200, json, `[9,"${key}"]`])
        .add(['GET', '/a', authorization], [200, json, '{}'])
        .add(['GET', '/b', authorization], [200, json, '{}'])
        .add(['GET', '/c', authorization], [200, json, '{}'])
        .load();
    };
    const script = correlated(flow('81f2c4aa90de1277'), flow('77a1d0be34c2f901'));
    expect(script.made).toEqual([]);
    expect(script.handoffs).toMatchObject([{ recorded: '81f2c4aa90de1277', extractor: { path: '$[1]' } }]);
    expect(coverage(script).filter((value) => value.class === 'handed-off')).toHaveLength(3);
  });
});

describe('what people typed', () => {
  const named = (name: string) =>
    new TakeBuilder()
      .add(
        ['GET', '/new'],
        [
          200,
          html,
          '<form action="/save"><input type="hidden" name="key" value="1"><input name="title"><textarea name="text"></textarea></form>',
        ],
      ) // prettier-ignore
      .add(['POST', '/save', form, `key=1&title=${name}&text=Some+words`], [200, html, ''])
      .add(['POST', '/api', json, `{"label":"${name}","done":true}`], [200, json, '{}'])
      .load();

  it.each([
    ['words, a code and hyphens', 'cold-harbour-4711-B', 'warm-harbour-5133-C'],
    ['a long name', 'Quay12Store45Of2026', 'Pier77Store19Of2026'],
    ['an address of mail', 'ann.hill12@growers.example', 'bea.wood34@growers.example'],
  ])('stays as it was typed: %s', (_what, first, second) => {
    const script = correlated(named(first), named(second));
    expect(script.made).toEqual([]);
    expect(script.handoffs).toEqual([]);
  });

  it('while a token that a script draws for a request is drawn anew', () => {
    const flow = (token: string) => new TakeBuilder().add(['GET', `/a?callback=x&mark=${token}`], [200, json, '{}']).load();
    expect(correlated(flow('x9f3kq0zlm2vbt71'), flow('p7d2mm4xqa90rw3c')).made).toMatchObject([{ made: 'random-text' }]);
  });
});
