import {
  bindValue,
  correlate,
  judgeRehearsal,
  proofWarning,
  prove,
  repair,
  scriptFromTake,
  type Captured,
  type Handoff,
  type LoadedTake,
  type Proof,
  type Rehearsal,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback, type Answer } from '../test/playback.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

/** Makes a crate, changes it by its id, and opens it: with what is typed, the id that the server gives, and the page that shows it. */
const flow = (id: string, note: string, goods: string) =>
  new TakeBuilder()
    .add(['POST', '/api/crates', json, `{"goods":"${goods}"}`], [201, json, `{"id":${id},"goods":"${goods}"}`])
    .add(['POST', `/api/crates/${id}`, json, `{"note":"${note}"}`], [200, json, '{"ok":true}'])
    .add(['GET', `/api/crates/${id}`], [200, json, `{"id":${id},"goods":"${goods}","note":"${note}"}`])
    .load();
const first = flow('4711', 'Keep it dry', 'Frozen peas');
const second = flow('4718', 'Told by Ann', 'Cooled fish');
const scriptOf = (loaded: LoadedTake, take: LoadedTake | null): Script =>
  correlate(scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: everything }), loaded, take).script;
const script = scriptOf(first, second);

/** A rehearsal in which the server gave an id, the steps sent one, and the page showed what it did. */
function played(ownScript: Script, id: string, sent = id, shown = { id, note: 'Keep it dry', goods: 'Frozen peas' }): Captured {
  const answers: Record<string, Answer> = {
    s1: [201, json, `{"id":${id},"goods":"Frozen peas"}`],
    s2: [200, json, '{"ok":true}'],
    s3: [200, json, JSON.stringify({ id: Number(shown.id), goods: shown.goods, note: shown.note })],
  };
  const bodies = { s1: '{"goods":"Frozen peas"}', s2: '{"note":"Keep it dry"}' };
  return playback(ownScript, answers, bodies, { s2: `/api/crates/${sent}`, s3: `/api/crates/${sent}` });
}
const proofOf = (ownScript: Script, rehearsals: Captured[], take: LoadedTake | null = second): Proof =>
  prove(ownScript, first, take, rehearsals);
const kinds = (proof: Proof) => proof.open.map((point) => point.kind);

describe('a pass is proven', () => {
  it('by things that each rehearsal made for itself, and by what these show', () => {
    const proof = proofOf(script, [played(script, '5001'), played(script, '5002')]);
    expect(proof.open).toEqual([]);
    expect(proof.state).toBe('proven');
    expect(proof.made.map((effect) => effect.what)).toEqual(['made crate 5001, then 5002']);
    expect(proof.changed.map((effect) => effect.what)).toContain('note “Keep it dry” is shown by step 3');
  });

  it('never by one rehearsal alone', () => {
    const proof = proofOf(script, [played(script, '5001')]);
    expect([proof.state, kinds(proof)]).toEqual(['unproven', ['once']]);
  });

  it('where an act leads on to another page each time', () => {
    const redirected = (id: string, goods: string) =>
      new TakeBuilder().add(['POST', '/crates', form, `goods=${goods}`], [303, [['Location', `/crates/${id}`]]]).load();
    const take = redirected('4711', 'Peas+of+May');
    const ownScript = scriptOf(take, redirected('4718', 'Fish+at+six'));
    const once = (id: string) => playback(ownScript, { s1: [303, [['Location', `/crates/${id}`]]] }, { s1: 'goods=Peas+of+May' });
    expect(prove(ownScript, take, null, [once('5001'), once('5002')]).made).toMatchObject([
      { what: 'led to /crates/5001, then /crates/5002' },
    ]);
    expect(prove(ownScript, take, null, [once('4711'), once('4711')]).state).toBe('unproven');
  });

  it('where a list shows one more each time, though nothing of it has an id', () => {
    const listed = (count: number, goods: string) => `<title>All</title><ul>${`<li>${goods}</li>`.repeat(count)}</ul>`;
    const visit = (goods: string) =>
      new TakeBuilder()
        .add(['POST', '/add', form, `goods=${goods}`], [200, html, 'Done.'])
        .add(['GET', '/all'], [200, html, listed(1, goods)])
        .load();
    const take = visit('Peasofmay');
    const ownScript = scriptOf(take, visit('Fishatsix'));
    const once = (count: number) =>
      playback(ownScript, { s1: [200, html, 'Done.'], s2: [200, html, listed(count, 'Peasofmay')] }, { s1: 'goods=Peasofmay' });
    expect(prove(ownScript, take, visit('Fishatsix'), [once(2), once(3)])).toMatchObject({
      state: 'proven',
      made: [{ what: expect.stringContaining('once more often') as string }],
    });
    // Shown as often as in the take, it may be the one of the take.
    expect(kinds(prove(ownScript, take, visit('Fishatsix'), [once(1), once(1)]))).toEqual(['unseen']);
  });
});

describe('a pass is not proven', () => {
  it('where what was made is not new', () => {
    expect(kinds(proofOf(script, [played(script, '5001'), played(script, '5001')]))).toContain('not-new');
    expect(kinds(proofOf(script, [played(script, '4711'), played(script, '5002')]))).toContain('not-new');
  });

  it('where a later step shows the recorded thing instead of the new one', () => {
    const old = { id: '4711', note: 'Keep it dry', goods: 'Frozen peas' };
    expect(kinds(proofOf(script, [played(script, '5001', '5001', old), played(script, '5002', '5002', old)]))).toContain('not-shown');
  });

  it('where a change did not reach what is shown, although every step answered well', () => {
    const unchanged = (id: string) => played(script, id, id, { id, note: '', goods: 'Frozen peas' });
    const proof = proofOf(script, [unchanged('5001'), unchanged('5002')]);
    expect(proof.open).toMatchObject([{ kind: 'not-shown', sentence: expect.stringContaining('“Keep it dry” (note)') as string }]);
  });

  it('where what moves between the takes is sent as recorded', () => {
    const raw = scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything });
    const proof = proofOf(raw, [played(raw, '5001', '4711'), played(raw, '5002', '4711')]);
    expect(proof.state).toBe('unproven');
    expect(proof.open.filter((point) => point.kind === 'still-recorded').map((point) => point.about?.place)).toEqual(['path:3', 'path:3']);
  });

  it('where what a person wrote is replaced by what an answer gives', () => {
    const handoff: Handoff = {
      id: 'h9',
      name: 'note',
      origin: 's1',
      extractor: { kind: 'jsonpath', path: '$.goods', pick: 'first' },
      evidence: 'likely',
      reason: '',
      recorded: 'Keep it dry',
    };
    const places = [{ step: 's2', place: 'json:/note' }];
    const wrong = bindValue({ ...script, handoffs: [...script.handoffs, handoff] }, 'Keep it dry', places, [
      { kind: 'handoff', handoff: 'h9', recorded: 'Keep it dry' },
    ]);
    const shown = (id: string) => ({ id, note: 'Frozen peas', goods: 'Frozen peas' });
    const proof = proofOf(wrong, [played(wrong, '5001', '5001', shown('5001')), played(wrong, '5002', '5002', shown('5002'))]);
    expect(proof.state).toBe('unproven');
    expect(proof.open.find((point) => point.kind === 'overwritten')?.sentence).toBe(
      'Step 2 sent note “Keep it dry” in the take, which reads as if a person wrote it, and no answer had shown it; now it sends what an answer gives.',
    );
    // Repair sends it as recorded again, before it tries anything else.
    const seen = judgeRehearsal(wrong, first, played(wrong, '5001', '5001', shown('5001')), second);
    const experiment = repair(wrong, first, { rehearsal: seen, proof }, second);
    expect(experiment.script.handoffs.map((handoff) => handoff.id)).not.toContain('h9');
    expect(experiment.tried).toMatchObject([{ kind: 'wrong-handoff', step: 's2' }]);
  });

  it('where nothing shows what was sent', () => {
    const silent = (note: string) => new TakeBuilder().add(['POST', '/notes', json, `{"note":"${note}"}`], [204, []]).load();
    const take = silent('Keep it dry');
    const ownScript = scriptOf(take, silent('Told by Ann'));
    const once = () => playback(ownScript, { s1: [204, []] }, { s1: '{"note":"Keep it dry"}' });
    expect(prove(ownScript, take, silent('Told by Ann'), [once(), once()]).open).toMatchObject([{ kind: 'unseen', step: 's1' }]);
  });

  it('where an act to which nothing was typed leaves the thing as it was', () => {
    const state = (text: string) => JSON.stringify({ goods: 'Frozen peas', state: text });
    const visit = (id: string, goods: string) =>
      new TakeBuilder()
        .add(['POST', '/api/crates', json, `{"goods":"${goods}"}`], [201, json, `{"id":${id},"goods":"${goods}","state":"expected"}`])
        .add(['POST', `/api/crates/${id}/release`, json, ''], [200, json, ''])
        .add(['GET', `/api/crates/${id}`], [200, json, `{"goods":"${goods}","state":"released today"}`])
        .load();
    const [take, second] = [visit('4711', 'Frozen peas'), visit('4718', 'Cooled fish')];
    const ownScript = scriptOf(take, second);
    const once = (id: string, text: string) =>
      playback(
        ownScript,
        {
          s1: [201, json, `{"id":${id},"goods":"Frozen peas","state":"expected"}`],
          s2: [200, json, ''],
          s3: [200, json, state(text)],
        },
        { s1: '{"goods":"Frozen peas"}' },
        { s2: `/api/crates/${id}/release`, s3: `/api/crates/${id}` },
      );
    expect(prove(ownScript, take, second, [once('5001', 'released today'), once('5002', 'released today')]).state).toBe('proven');
    expect(prove(ownScript, take, second, [once('5001', 'expected'), once('5002', 'expected')]).open).toMatchObject([
      { kind: 'not-shown', number: 3, sentence: expect.stringContaining('“released today” after step 2') as string },
    ]);
  });

  it('by a page that shows a text only as a part of a longer one', () => {
    const visit = (first: string, last: string) =>
      new TakeBuilder()
        .add(['POST', '/people', form, `last=${last}&name=${first}+${last}`], [200, html, `<p>Made ${first} ${last}.</p>`])
        .load();
    const [take, second] = [visit('Anna', 'Hill'), visit('Beat', 'Wood')];
    const ownScript = scriptOf(take, second);
    const once = (end: string) =>
      playback(ownScript, { s1: [200, html, `<p>Made Anna Hill${end}.</p>`] }, { s1: `last=Hill${end}x&name=Anna+Hill${end}` });
    // The page never showed the last name by itself, so that its absence says nothing.
    expect(prove(ownScript, take, second, [once('k7'), once('m9')])).toMatchObject({ state: 'proven', open: [] });
  });

  it('by any script that lacks one of its handoffs (each left out in turn)', () => {
    for (const left of script.handoffs) {
      const raw = scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything });
      const ablated: Script = { ...raw, handoffs: script.handoffs.filter((handoff) => handoff.id !== left.id) };
      expect(proofOf(ablated, [played(ablated, '5001', '4711'), played(ablated, '5002', '4711')]).state).toBe('unproven');
    }
  });
});

it('a flow that only looks is proven by answers alone', () => {
  const take = new TakeBuilder().add(['GET', '/a'], [200, html, '<title>A</title>']).load();
  const ownScript = scriptOf(take, null);
  const once = () => playback(ownScript, { s1: [200, html, '<title>A</title>'] });
  expect(prove(ownScript, take, null, [once(), once()])).toEqual({ state: 'proven', made: [], changed: [], open: [] });
});

it('says why a script should not be played by many users yet', () => {
  const passed = { verdict: 'passed', divergence: null } as unknown as Rehearsal;
  expect(proofWarning('Book', undefined)).toContain('was never rehearsed');
  expect(proofWarning('Book', passed)).toBe('“Book” passed its last rehearsal, unproven. It was rehearsed once only.');
  expect(proofWarning('Book', { ...passed, proof: { state: 'proven', made: [], changed: [], open: [] } })).toBeNull();
  const failed = { verdict: 'failed', divergence: { sentence: 'Step 3 failed.' } } as unknown as Rehearsal;
  expect(proofWarning('Book', failed)).toBe('“Book” did not pass its last rehearsal. Step 3 failed.');
});
