import {
  correlate,
  doubtfulPlaces,
  movingPieces,
  recordedText,
  requestSteps,
  scriptFromTake,
  sentAndGot,
  SourceFinder,
  usePlaces,
  type LoadedTake,
  type Rehearsal,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback } from '../test/playback.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

/** A gate lists slots; a form sends one of them, which a count on the page happens to equal, and a note that somebody wrote. */
const take = (slot: string, count: string, note: string): LoadedTake =>
  new TakeBuilder()
    .add(['GET', '/slots'], [200, json, `{"open":${count},"slots":[{"ref":"${slot}"}]}`])
    .add(['POST', '/book', form, `pos=${slot}&note=${note}`], [200, html, '<p>booked</p>'])
    .add(['POST', '/seal', form, `pos=${slot}`], [200, html, '<p>sealed</p>'])
    .load();
const first = take('4', '4', 'heavy');
const second = take('7', '9', 'light');
const raw = scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything });
const doubted: Script = {
  ...raw,
  unsure: [{ step: 's2', place: 'form:pos', value: '4', origin: null, extractor: null, reason: 'Chance could have done it.' }],
};
const at = { step: 's2', place: 'form:pos' };
const found = (finder: SourceFinder, place = at) => finder.of(place)?.candidates ?? [];

describe('where a sent value may come from', () => {
  it('lists what gives it in both takes before what gives it in one alone, with what a rehearsal would have given', () => {
    const played = playback(doubted, { s1: [200, json, '{"open":3,"slots":[{"ref":"8"}]}'] });
    const finder = new SourceFinder(doubted, first, second, [{ number: 2, steps: played.steps, readBody: played.readBody }]);
    const reads = found(finder).filter((candidate) => candidate.kind === 'read');
    expect(reads[0]?.sentence).toBe('Read at step 1, GET /slots: $.slots[0].ref');
    expect(reads[0]?.why).toMatch(/both takes; chance alone/);
    expect(reads[0]?.gives).toEqual([
      { of: 'the take', value: '4' },
      { of: 'the second take', value: '7' },
      { of: 'rehearsal 2', value: '8' },
    ]);
    const read = reads.find((candidate) => candidate.sentence.endsWith('$.open'));
    expect(read?.why).toBe('It gives what was sent in the take, but not in the second one, which sent “7”.');
    expect(read?.evidence).toBe('unsure');
    expect(finder.of(at)).toMatchObject({ recorded: '4', second: '7', doubt: 'Chance could have done it.', handoff: null, places: 2 });
  });

  it('puts a candidate in the script wherever that value is sent, and doubts it no more', () => {
    const finder = new SourceFinder(doubted, first, second);
    const [best] = found(finder);
    const done = finder.with(at, best?.id ?? '');
    expect(usePlaces(done?.script ?? raw).get('h1')).toEqual([at, { step: 's3', place: 'form:pos' }]);
    expect(done?.script.handoffs[0]).toMatchObject({ origin: 's1', recorded: '4' });
    expect(done?.script.unsure).toEqual([]);
    expect(finder.with(at, 'read 99 nothing')).toBeNull();
  });

  it('takes a wrong handoff back, or reads it elsewhere, at all its places', () => {
    const finder = new SourceFinder(doubted, first, second);
    const wrong = found(finder).find((candidate) => candidate.sentence.endsWith('$.open'));
    const bound = finder.with(at, wrong?.id ?? '')?.script ?? raw;
    const again = new SourceFinder(bound, first, second);
    expect(again.of(at)).toMatchObject({ handoff: 'h1', recorded: '4', places: 2 });
    expect(found(again).filter((candidate) => candidate.inUse)).toMatchObject([{ sentence: 'Read at step 1, GET /slots: $.open' }]);
    const still = again.with(at, 'recorded')?.script;
    expect(still?.handoffs).toEqual([]);
    expect(requestSteps(still ?? bound).map(({ step }) => step.body)).toEqual(requestSteps(raw).map(({ step }) => step.body));
    const right = found(again).find((candidate) => candidate.sentence.endsWith('$.slots[0].ref'));
    const mended = again.with(at, right?.id ?? '')?.script;
    expect(mended?.handoffs.map((handoff) => [handoff.extractor, usePlaces(mended).get(handoff.id)?.length])).toEqual([
      [{ kind: 'jsonpath', path: '$.slots[0].ref', pick: 'first' }, 2],
    ]);
  });

  it('knows a handoff that is read anew at each page, and leaves alone what it sends elsewhere', () => {
    const keyed = (firstKey: string, secondKey: string) => {
      const page = (key: string) => `<form action="/save" method="post"><input type="hidden" name="key" value="${key}"></form>`;
      return new TakeBuilder()
        .add(['GET', '/form'], [200, html, page(firstKey)])
        .add(['POST', '/save', form, `key=${firstKey}`], [200, html, page(secondKey)])
        .add(['POST', '/save', form, `key=${secondKey}`], [200, html, '<p>saved</p>'])
        .load();
    };
    const [first, twin] = [keyed('k1-aa11bb22', 'k2-cc33dd44'), keyed('k3-ee55ff66', 'k4-gg77hh88')];
    const { script } = correlate(scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }), first, twin);
    expect(script.handoffs).toMatchObject([{ origin: 's1', also: [{ step: 's2' }] }]);
    const finder = new SourceFinder(script, first, twin);
    const last = { step: 's3', place: 'form:key' };
    expect(finder.of(last)).toMatchObject({ recorded: 'k2-cc33dd44', second: 'k4-gg77hh88', places: 1 });
    expect(found(finder, last).filter((candidate) => candidate.inUse)).toMatchObject([
      { sentence: 'Read at step 2, POST /save: the form field key' },
    ]);
    const still = finder.with(last, 'recorded')?.script;
    expect(usePlaces(still ?? script).get('h1')).toEqual([{ step: 's2', place: 'form:key' }]);
  });

  it('puts what was recorded first where people fill the field, and offers a new one each time', () => {
    const page = new TakeBuilder()
      .add(['GET', '/form'], [200, html, '<form action="/book" method="post"><input type="text" name="note" value=""></form>'])
      .add(['POST', '/book', form, 'note=heavy+load'], [200, html, '<p>booked</p>'])
      .load();
    const script = scriptFromTake(page, { scriptId: 's', name: 's', tidy: everything });
    const finder = new SourceFinder(script, page, null);
    const note = { step: 's2', place: 'form:note' };
    expect(found(finder, note).map((candidate) => [candidate.kind, candidate.why])).toEqual([
      ['recorded', 'It stands in a field that people fill.'],
      ['made', expect.stringContaining('another end each time')],
    ]);
    expect(finder.with(note, 'made unique-text')?.script.made).toMatchObject([{ made: 'unique-text', recorded: 'heavy load' }]);
  });

  it('looks into parts where no answer gives the whole', () => {
    const loadedTake = new TakeBuilder()
      .add(['GET', '/cart'], [200, json, '{"cart":"k81Zq"}'])
      .add(['POST', '/pay', form, 'what=cart-k81Zq-9'], [200, html, '<p>paid</p>'])
      .load();
    const script = scriptFromTake(loadedTake, { scriptId: 's', name: 's', tidy: everything });
    const finder = new SourceFinder(script, loadedTake, null);
    const what = { step: 's2', place: 'form:what' };
    const [part] = found(finder, what).filter((candidate) => candidate.kind === 'read');
    expect(part?.why).toMatch(/^It gives “k81Zq”, a part of what was sent/);
    const body = requestSteps(finder.with(what, part?.id ?? '')?.script ?? script)[1]?.step.body;
    expect([...movingPieces(body ?? [])]).toMatchObject([{ kind: 'handoff', recorded: 'k81Zq' }]);
    expect(recordedText(body ?? [])).toBe('what=cart-k81Zq-9');
  });

  it('says nothing of a place that sends nothing', () => {
    expect(new SourceFinder(raw, first, second).of({ step: 's1', place: 'form:pos' })).toBeNull();
    expect(new SourceFinder(raw, first, second).of({ step: 's9', place: 'form:pos' })).toBeNull();
  });
});

describe('values in doubt', () => {
  it('are those that correlation was not sure of, and the handoffs of the step that left the take first', () => {
    const finder = new SourceFinder(doubted, first, second);
    const bound = finder.with(at, found(finder)[0]?.id ?? '')?.script ?? raw;
    const left = (step: string) => ({ steps: [{ step, verdict: 'drifted' }] }) as Pick<Rehearsal, 'steps'>;
    expect(doubtfulPlaces(doubted, undefined)).toEqual([{ ...at, number: 2, name: 'pos', value: '4', kind: 'unsure' }]);
    expect(doubtfulPlaces(bound, undefined)).toEqual([]);
    expect(doubtfulPlaces(bound, left('s3'))).toMatchObject([{ step: 's3', place: 'form:pos', kind: 'handoff' }]);
  });
});

describe('what a rehearsal sent and got', () => {
  it('reads the value that was really sent, and what came back', () => {
    const played = playback(raw, { s2: [422, html, '<p>No such slot</p>'] }, { s2: 'pos=8&note=x' });
    const rehearsal = {
      id: 'r1',
      number: 5,
      steps: [
        {
          step: 's2',
          number: 2,
          verdict: 'failed',
          reasons: ['422 instead of 200'],
          stale: [],
          said: ['No such slot'],
          captured: played.steps[0],
        },
      ],
    } as unknown as Rehearsal;
    expect(sentAndGot(rehearsal, at, played.readBody)).toEqual({
      rehearsal: 'r1',
      number: 5,
      sent: '8',
      answer: '422',
      verdict: 'failed',
      reasons: ['422 instead of 200', 'No such slot'],
    });
    expect(sentAndGot(rehearsal, { step: 's3', place: 'form:pos' }, played.readBody)).toMatchObject({ sent: null, verdict: 'not-sent' });
  });
});
