import {
  allSteps,
  applyPart,
  bindValue,
  correlate,
  editScript,
  makePart,
  ownParts,
  partIn,
  requestSteps,
  samePart,
  scriptFromTake,
  usePlaces,
  type Part,
  type Script,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, html, TakeBuilder } from '../test/take-builder.js';

/** Signs in with a hidden key, gets a ticket, and buys with it; out again with the key of the last page. */
const take = (key: string, ticket: string, what: string) => {
  const loaded = new TakeBuilder()
    .add(['GET', '/in'], [200, html, `<form><input type=hidden name=formkey value="${key}"></form>`])
    .add(
      ['POST', '/in', form, `formkey=${key}&user=ada`],
      [200, html, `<a id=t data-ticket="${ticket}">go</a><form><input type=hidden name=outkey value="o${key}"></form>`],
    )
    .add(['POST', `/${what}`, form, `ticket=${ticket}&what=${what}`], [200, html, 'bought'])
    .add(['POST', '/out', form, `outkey=o${key}&ticket=${ticket}`], [200, html, 'bye'])
    .load();
  return {
    ...loaded,
    take: {
      ...loaded.take,
      marks: [
        { kind: 'begin' as const, atMs: 50, text: 'Sign in' },
        { kind: 'begin' as const, atMs: 250, text: 'Buy' },
        { kind: 'begin' as const, atMs: 350, text: 'Sign out' },
      ],
    },
  };
};
const scriptOf = (id: string, what: string): Script => {
  const [first, second] = [take('k-93fa20b1', 'T-5513-aa', what), take('k-0b77c1d4', 'T-7741-zx', what)];
  return { ...correlate(scriptFromTake(first, { scriptId: id, name: id, tidy: everything }), first, second).script, id };
};
const partOf = (script: Script, id: string): Part => {
  const part = partIn(script, id);
  if (!part) throw new Error(`${script.id} has no ${id}`);
  return part;
};
const transactions = (script: Script) =>
  script.transactions.map((transaction) => [
    transaction.name,
    transaction.part ?? null,
    allSteps(transaction.steps).filter((step) => step.kind === 'request').length,
  ]);
const sends = (script: Script, handoff: string) =>
  usePlaces(script).get(script.handoffs.find((candidate) => candidate.name === handoff)?.id ?? '')?.length ?? 0;

describe('a part', () => {
  const fish = makePart(scriptOf('fish', 'fish'), 't1', 'p1');

  it('owns its steps and what is read in them; the script goes on using it', () => {
    const part = partOf(fish, 'p1');
    expect(part.name).toBe('Sign in');
    expect(part.handoffs.map((handoff) => handoff.name)).toEqual(['formkey', 'ticket', 'outkey']);
    expect(
      [...part.steps.map((step) => step.id), ...part.handoffs.map((handoff) => handoff.id)].every((handoffId) =>
        handoffId.startsWith('p1.'),
      ),
    ).toBe(true);
    expect(sends(fish, 'ticket')).toBe(2);
    expect(ownParts(fish)).toBe(fish);
  });

  it('goes into another script with all that it reads, and that script hands it on by name', () => {
    const plain = editScript(scriptOf('fruit', 'fruit'), { kind: 'delete', id: 't1' });
    const { script, missing } = applyPart(plain, partOf(fish, 'p1'));
    expect(missing).toEqual([]);
    expect(transactions(script)).toEqual([
      ['Sign in', 'p1', 2],
      ['Buy', null, 1],
      ['Sign out', null, 1],
    ]);
    expect(requestSteps(script).map(({ step }) => step.exchange)).toEqual([null, null, 3, 4]);
    expect(samePart(partOf(script, 'p1'), partOf(fish, 'p1'))).toBe(true);
  });

  it('finds what it sends but does not read by its name, and says what is missing', () => {
    const out = partOf(makePart(fish, 't3', 'p2'), 'p2');
    expect(out.foreign.map((foreign) => foreign.name).sort()).toEqual(['outkey', 'ticket']);
    const fruit = editScript(scriptOf('fruit', 'fruit'), { kind: 'delete', id: 't3' });
    const { script, missing } = applyPart(fruit, out, 't2');
    // Deleting the sign-out left its key unsent and so unread; the ticket is still handed on.
    expect(missing).toEqual(fruit.handoffs.some((handoff) => handoff.name === 'outkey') ? [] : ['outkey']);
    expect(sends(script, 'ticket')).toBe(2);
    const alone = applyPart({ ...fruit, transactions: [], handoffs: [] }, out);
    expect(alone.missing.sort()).toEqual(['outkey', 'ticket']);
    expect(JSON.stringify(alone.script.transactions)).not.toContain('"handoff"');
  });

  it('that was changed in one script is brought up to date in another, where steps keep their own exchanges and other uses stay', () => {
    const fruit = makePart(scriptOf('fruit', 'fruit'), 't1', 'p1');
    const changed = editScript(fish, { kind: 'insert', after: 'p1.s1', steps: [{ kind: 'pause', id: 'wait', ms: 700 }] });
    const again = ownParts(editScript(changed, { kind: 'rename', id: 't1', name: 'Come in' }));
    expect(samePart(partOf(again, 'p1'), partOf(fish, 'p1'))).toBe(false);
    const { script } = applyPart(fruit, partOf(again, 'p1'));
    expect(script.transactions[0]?.name).toBe('Come in');
    expect(script.transactions[0]?.steps.map((step) => step.id)).toEqual(['p1.s1', 'p1.wait', 'p1.s2']);
    expect(requestSteps(script).map(({ step }) => step.exchange)).toEqual([1, 2, 3, 4]);
    expect(sends(script, 'ticket')).toBe(2);
  });

  it('gives uses outside of it the recorded value back where it reads something no more', () => {
    const less: Part = { ...partOf(fish, 'p1'), handoffs: partOf(fish, 'p1').handoffs.filter((handoff) => handoff.name !== 'ticket') };
    const { script } = applyPart(fish, less);
    expect(sends(script, 'ticket')).toBe(0);
    expect(JSON.stringify(script.transactions[1])).toContain('T-5513-aa');
  });

  it('is left by a transaction that is to be changed by itself', () => {
    const left = editScript(fish, { kind: 'leave-part', id: 't1' });
    expect(partIn(left, 'p1')).toBeNull();
    expect(left.transactions[0]?.steps).toEqual(fish.transactions[0]?.steps);
  });

  it('keeps client-made values to itself that nothing else sends', () => {
    const made = { id: 'm1', name: 'user', made: 'unique-text' as const, recorded: 'ada', reason: '' };
    const place = { step: 's2', place: 'form:user' };
    const with1 = bindValue({ ...scriptOf('s', 'x'), made: [made] }, 'ada', [place], [{ kind: 'made', made: 'm1', recorded: 'ada' }]);
    expect(partOf(makePart(with1, 't1', 'p9'), 'p9').made.map((generatedValue) => generatedValue.id)).toEqual(['p9.m1']);
  });
});
