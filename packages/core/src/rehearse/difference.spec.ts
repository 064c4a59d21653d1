import { compareStep, correlate, differenceOf, linesOf, scriptFromTake, sideOfRehearsal, sideOfTake } from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { playback } from '../test/playback.js';
import { form, html, json, TakeBuilder } from '../test/take-builder.js';

const kinds = (left: string, right: string, moving: Parameters<typeof differenceOf>[2] = []) =>
  differenceOf(linesOf(left, 'html'), linesOf(right, 'html'), moving).map((row) => [
    row.kind,
    row.left.length,
    row.right.length,
    row.why.join(),
  ]);

describe('folding harmless differences', () => {
  it('tells what is the same, what moves anyway and what differs', () => {
    const page = (number: string, title: string) => `<h1>${title}</h1><p>Intake ${number}</p><p>Alma Orchards</p>`;
    expect(
      kinds(page('IN-77', 'Intake'), page('IN-78', 'Refused'), [{ left: 'IN-77', right: 'IN-78', name: 'the handoff number' }]),
    ).toEqual([
      ['differs', 1, 1, ''],
      ['harmless', 1, 1, 'the handoff number'],
      ['same', 1, 1, ''],
    ]);
  });

  it.each([
    ['a time', '2026-11-23T10:00:00.123Z', '2026-11-24T07:31:12.001Z'],
    ['a time', 'Mon, 23 Nov 2026 10:00:00 GMT', 'Tue, 24 Nov 2026 08:12:13 GMT'],
    ['a UUID', '7d444840-9dc0-11d1-b245-5ffdce74fad2', '6ba7b810-9dad-11d1-80b4-00c04fd430c8'],
    ['a token', 'CT0rAXXvcmfJMVGEnShcyXh', 'WdjIas8ZOOoKFdPe8tVL0Rfe'],
    ['a clock', '1795430000', '1795433333'],
  ])('knows by its form %s', (name, left, right) => {
    expect(kinds(`<b>${left}</b>`, `<b>${right}</b>`)).toEqual([['harmless', 1, 1, name]]);
  });

  it('does not take words, amounts or short numbers for harmless', () => {
    for (const [left, right] of [
      ['passed', 'refused'],
      ['12 pallets', '0 pallets'],
      ['4200.50', '17.00'],
    ])
      expect(kinds(`<b>${left}</b>`, `<b>${right}</b>`)).toEqual([['differs', 1, 1, '']]);
  });

  it('lays lines that only one side has against nothing', () => {
    expect(kinds('<a></a><c></c>', '<a></a><b></b><c></c>')).toEqual([
      ['same', 2, 2, ''],
      ['differs', 0, 2, ''],
      ['same', 2, 2, ''],
    ]);
  });
});

describe('a step beside the take', () => {
  const take = (token: string, box: string) =>
    new TakeBuilder()
      .add(['GET', '/page'], [200, html, `<input name="stamp" value="${token}">`])
      .add(['POST', '/save', form, `stamp=${token}&box=${box}`], [200, [...json, ['Date', 'today']], `{"box":"${box}","state":"stored"}`])
      .load();
  const first = take('tk-1111aaaa', 'Crate A');
  const { script } = correlate(
    scriptFromTake(first, { scriptId: 's', name: 's', tidy: everything }),
    first,
    take('tk-2222bbbb', 'Crate B'),
  );

  it('folds what handoffs read and what was sent, wherever it comes back, and keeps the rest', () => {
    const now = playback(script, {
      s1: [200, html, '<input name="stamp" value="tk-9">'],
      s2: [200, [...json, ['Date', 'now']], '{"box":"Crate Z","state":"queued"}'],
    });
    // What the rehearsal sent, as a captured request holds it.
    const [open, save] = now.steps.filter((step) => step.kind === 'request');
    const sent = {
      ...save,
      request: { ...save?.request, body: { hash: 'sent', size: 1, mimeType: 'application/x-www-form-urlencoded' } },
    } as NonNullable<typeof save>;
    const readBody = (hash: string) => (hash === 'sent' ? 'stamp=tk-9&box=Crate%20Z' : now.readBody(hash));
    const found = compareStep(script, 's2', sideOfTake(script, first), sideOfRehearsal(script, open ? [open, sent] : [], readBody));
    expect(found.request.map((row) => row.kind)).toEqual(['same', 'harmless']);
    expect(found.body.map((row) => [row.kind, row.left.join().trim(), row.why.join()])).toEqual([
      ['same', '{', ''],
      ['harmless', '"box": "Crate A",', 'the box that is sent'],
      ['differs', '"state": "stored"', ''],
      ['same', '}', ''],
    ]);
    expect(found.headers.filter((header) => header.kind === 'differs')).toEqual([]);
  });
});
