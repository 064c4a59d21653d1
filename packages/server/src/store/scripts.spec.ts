import { editScript, makePart, partIn, type Script } from '@sturdy/core';
import { keepScript } from '../scripts/keep-script.js';
import { onBothDatabases } from '../test/both-databases.js';
import type { Store } from './store-client.js';

const text = (value: string) => [{ kind: 'text' as const, text: value }];
const script = (id: string): Script => ({
  id,
  projectId: id.split('-')[0] ?? 'p',
  name: id,
  takeId: 't',
  secondTakeId: null,
  transactions: ['in', 'work'].map((name) => ({
    kind: 'transaction',
    id: name,
    name,
    steps: [
      {
        kind: 'request',
        id: `${name}-1`,
        name: `GET /${name}`,
        exchange: 1,
        method: 'GET',
        origin: 'http://127.0.0.1:9',
        url: text(`/${name}`),
        headers: [],
        body: null,
        bodyFile: null,
        expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
        followRedirects: false,
      },
    ],
  })),
  handoffs: [],
  made: [],
  unsure: [],
});
const renamed = (before: Script, name: string): Script => editScript(before, { kind: 'rename', id: before.id, name });
const at = (minute: number): string => new Date(Date.UTC(2026, 10, 25, 9, minute)).toISOString();

onBothDatabases('scripts', (opened) => {
  let store: Store;
  beforeAll(() => {
    store = opened();
  });
  const versionsOf = async (id: string) => (await store.scriptVersions(id)).map((version) => [version.number, version.by, version.what]);

  it('are kept with who changed what: one version for each piece of work, and each can be had back', async () => {
    const first = script('a-1');
    await store.saveScript(first, 'Ada', at(0));
    await store.saveScript(renamed(first, 'A'), 'Ada', at(1));
    await store.saveScript(renamed(first, 'AB'), 'Ada', at(2));
    const two = editScript(renamed(first, 'AB'), { kind: 'delete', id: 'work-1' });
    await store.saveScript(two, 'Bo', at(3));
    await store.saveScript(renamed(two, 'later'), 'Bo', at(30));
    await store.saveScript(renamed(two, 'later'), 'Bo', at(31));
    await store.saveScript(
      { ...renamed(two, 'later'), made: [{ id: 'm', name: 'm', made: 'guid', recorded: '', reason: '' }] },
      'Bo',
      at(31),
      'Correlated',
    );
    expect(await versionsOf('a-1')).toEqual([
      [5, 'Bo', 'Correlated: 1 client-made value added'],
      [4, 'Bo', 'called later'],
      [3, 'Bo', '1 step removed'],
      [2, 'Ada', 'called AB'],
      [1, 'Ada', 'made'],
    ]);
    expect((await store.scriptAt('a-1', 2))?.name).toBe('AB');
    expect((await store.scriptAt('a-1', 2))?.transactions[1]?.steps).toHaveLength(1);
    expect(await store.scriptAt('a-1', 9)).toBeNull();
    expect((await store.script('a-1'))?.name).toBe('later');
  });

  it('say what work has come to as a whole, also where it led back', async () => {
    const first = script('b-1');
    await store.saveScript(first, 'Ada', at(0));
    await store.saveScript(renamed(first, 'X'), 'Ada', at(1));
    await store.saveScript(first, 'Ada', at(2));
    expect(await versionsOf('b-1')).toEqual([
      [2, 'Ada', 'changed and changed back'],
      [1, 'Ada', 'made'],
    ]);
  });

  it('a part that is changed in one script is changed in each that has it, and nowhere else', async () => {
    const [first, two, three] = [makePart(script('c-1'), 'in', 'p1'), makePart(script('c-2'), 'in', 'p1'), script('c-3')] as const;
    const part = partIn(first, 'p1');
    if (!part) throw new Error('it has the part');
    await store.savePart(part);
    for (const ownScript of [first, two, three]) await store.saveScript(ownScript, 'Ada', at(0));
    const edited = editScript(first, { kind: 'insert', after: 'p1.in-1', steps: [{ kind: 'pause', id: 'wait', ms: 5 }] });
    const kept = await keepScript(store, edited, { by: 'Bo' });
    expect(kept.changedToo).toEqual(['c-2']);
    expect(kept.script.transactions[0]?.steps.map((step) => step.id)).toEqual(['p1.in-1', 'p1.wait']);
    expect((await store.script('c-2'))?.transactions[0]?.steps.map((step) => step.id)).toEqual(['p1.in-1', 'p1.wait']);
    expect((await versionsOf('c-2'))[0]).toEqual([2, 'Bo', 'The part “in” was changed in “c-1”: 1 step added']);
    expect(await store.script('c-3')).toEqual(three);
    expect((await store.parts('c'))[0]?.steps).toHaveLength(2);
    // What does not touch the part tells nobody.
    expect((await keepScript(store, renamed(kept.script, 'C'), { by: 'Bo' })).changedToo).toEqual([]);
  });

  it('are gone with their versions', async () => {
    await store.saveScript(script('d-1'), 'Ada', at(0));
    await store.deleteScript('d-1');
    expect([await store.script('d-1'), await store.scriptVersions('d-1')]).toEqual([null, []]);
  });
});
