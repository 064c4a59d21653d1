import { plainEnvironment, TargetPolicySchema, type Clearing, type Environment, type HistoryEntry, type Script } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import { Environments } from './environments.js';

const origin = 'http://erp-test.company.example';
const names: Record<string, string[]> = {
  'erp-test.company.example': ['10.20.0.7'],
  'shop.company.example': ['10.20.0.8', '8.8.4.4'],
  'odd.company.example': ['10.20.0.9', '169.254.169.254'],
  'here.company.example': ['127.0.0.1'],
};
/** A name server of the test's own. */
const lookup: Lookup = (hostname, _options, callback) => {
  const found = names[hostname];
  if (found)
    callback(
      null,
      found.map((address) => ({ address, family: 4 })),
    );
  else callback(Object.assign(new Error('not found'), { code: 'ENOTFOUND' }), []);
};

let stored: Environment[];
let history: HistoryEntry[];
const store = {
  environments: () => Promise.resolve(structuredClone(stored)),
  saveEnvironment: (environment: Environment) => {
    stored = [...stored.filter(({ id }) => id !== environment.id), structuredClone(environment)];
    return Promise.resolve();
  },
  deleteEnvironment: (_project: string, id: string) => {
    stored = stored.filter((environment) => environment.id !== id);
    return Promise.resolve();
  },
  projectSettings: () => Promise.resolve({ failureSigns: [], criteria: [], watches: [] }),
  addHistory: (_project: string, entry: HistoryEntry) => Promise.resolve(void history.push(entry)),
};
const officeOf = (...policies: object[]) =>
  new Environments(
    store,
    policies.map((policy) => TargetPolicySchema.parse(policy)),
    lookup,
  );
const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
const clearing = (more: Partial<Clearing> = {}): Clearing => ({
  origin,
  by: 'Mara',
  for: 'load test of release 4.2',
  until: inDays(30),
  requestsPerSecond: 20,
  users: 5,
  host: '',
  ...more,
});
const told = () => history.map(({ kind, by, text }) => `${by} ${kind}: ${text}`);

beforeEach(() => {
  stored = [plainEnvironment({ id: 'e1', projectId: 'p1', name: 'Staging', targets: ['http://127.0.0.1:1'] })];
  history = [];
});

describe('the environments of a project', () => {
  it('are added empty, or as a copy that has to be cleared anew, each under a name of its own', async () => {
    const office = officeOf();
    await office.clear('p1', 'e1', clearing(), 'kim');
    const copy = await office.add('p1', 'Half of production', 'e1');
    expect(copy).toMatchObject({ id: 'e2', targets: ['http://127.0.0.1:1', origin], clearances: [], productionLike: false });
    expect(await office.add('p1', 'Empty')).toMatchObject({ id: 'e3', targets: [] });
    await expect(office.add('p1', 'Empty')).rejects.toThrow('There is an environment “Empty” already.');
    await expect(office.save({ ...copy, name: 'Staging' }, 'kim')).rejects.toThrow('so that nobody hits the wrong one');
    await expect(office.save({ ...copy, name: ' ' }, 'kim')).rejects.toThrow('Give the environment a name.');
    await office.save({ ...copy, name: 'Half' }, 'kim');
    expect(stored.map(({ name }) => name).sort()).toEqual(['Empty', 'Half', 'Staging']);
  });

  it('are used as each asker has chosen, else the first; one that is gone is told', async () => {
    const office = officeOf();
    await office.add('p1', 'Second');
    expect((await office.inUse('p1')).name).toBe('Staging');
    expect((await office.inUse('p1', 'e2')).name).toBe('Second');
    await office.remove('p1', 'e2', 'kim');
    await expect(office.inUse('p1', 'e2')).rejects.toThrow('has been deleted. Choose another one.');
  });

  it('are deleted with their clearances, which the history tells; the last one stays', async () => {
    const office = officeOf();
    await office.add('p1', 'Second');
    await office.clear('p1', 'e1', clearing(), 'kim');
    await office.remove('p1', 'e1', 'ann');
    expect(stored.map(({ id }) => id)).toEqual(['e2']);
    expect(told().at(-1)).toBe('ann withdrawn: The environment was deleted, and with it the clearance by Mara.');
    await expect(office.remove('p1', 'e2', 'ann')).rejects.toThrow('is the only environment');
  });
});

describe('the clearances of an environment', () => {
  it('are given for the addresses that a target has now, and stand in the history', async () => {
    const changed = await officeOf().clear('p1', 'e1', clearing(), 'kim');
    expect(changed.targets).toEqual(['http://127.0.0.1:1', origin]);
    expect(stored[0]?.clearances).toEqual([{ ...clearing(), addresses: ['10.20.0.7'] }]);
    expect(told()).toEqual([
      `kim cleared: Cleared by Mara until ${inDays(30)} for: load test of release 4.2. At most 20 requests a second and 5 users. It leads to 10.20.0.7.`,
    ]);
    expect(history[0]).toMatchObject({ origin, environment: 'Staging' });
  });

  it.each<[string, Partial<Clearing>, string]>([
    ['a name that nobody knows', { origin: 'http://nowhere.example' }, 'its name cannot be looked up (ENOTFOUND)'],
    ['one of whose addresses is never allowed', { origin: 'http://odd.company.example' }, 'leads to 169.254.169.254'],
    ['this machine', { origin: 'http://localhost:1' }, 'needs no clearance'],
    ['a metadata service', { origin: 'http://169.254.169.254' }, 'Nothing is ever sent to'],
    ['no origin', { origin: 'erp-test' }, 'is not an origin'],
    ['an address with a path', { origin: `${origin}/login` }, 'is not an origin'],
    ['a public address whose host was not typed', { origin: 'http://shop.company.example' }, 'Type the name of its host once more'],
    ['a time that is over', { until: inDays(-1) }, `ended on ${inDays(-1)}`],
    ['more than a year', { until: inDays(500) }, 'for a year at the most'],
  ])('are refused for %s; nothing changes, and the history tells of it', async (_name, more, sentence) => {
    await expect(officeOf().clear('p1', 'e1', clearing(more), 'kim')).rejects.toMatchObject({
      detail: expect.stringContaining(sentence) as string,
    });
    expect(stored[0]?.clearances).toEqual([]);
    expect(told()).toEqual([expect.stringContaining('kim refused: A clearance by Mara was refused.')]);
  });

  it('are given for a public address once its host is typed, unless the operator forbids it', async () => {
    const shop = clearing({ origin: 'http://shop.company.example', host: 'shop.company.example' });
    const looked = await officeOf().lookUp(shop.origin);
    expect([looked.isPublic, looked.problem]).toEqual([true, null]);
    expect(looked.addresses).toEqual([
      { address: '10.20.0.8', reach: 'private' },
      { address: '8.8.4.4', reach: 'public' },
    ]);
    await officeOf().clear('p1', 'e1', shop, 'kim');
    const confined = officeOf({ publicAddresses: false });
    expect((await confined.lookUp(shop.origin)).problem).toContain('8.8.4.4 is on the public internet');
    await expect(confined.clear('p1', 'e1', shop, 'kim')).rejects.toThrow('8.8.4.4 is on the public internet');
  });

  it('are confined by every policy of the machine, also those that were given before it', async () => {
    await officeOf().clear('p1', 'e1', clearing(), 'kim');
    const confined = officeOf({ networks: ['10.20.0.0/16'] }, { requestsPerSecond: 10, users: 50 });
    expect((await confined.lookUp(origin)).most).toEqual({ requestsPerSecond: 10, users: 50 });
    await expect(confined.clear('p1', 'e1', clearing(), 'kim')).rejects.toMatchObject({
      detail: expect.stringContaining('allows 10 requests a second at the most') as string,
    });
    expect((await confined.inUse('p1')).clearances).toEqual([]);
    expect((await officeOf().inUse('p1')).clearances).toHaveLength(1);
    await confined.clear('p1', 'e1', clearing({ requestsPerSecond: 10 }), 'kim');
    expect((await confined.inUse('p1')).clearances).toMatchObject([{ requestsPerSecond: 10 }]);
  });

  it('are kept when the environment is saved, whatever the change says of them, and end with their target', async () => {
    const office = officeOf();
    const cleared = await office.clear('p1', 'e1', clearing(), 'kim');
    const forged = { ...clearing({ origin: 'http://10.1.1.1', requestsPerSecond: null }), addresses: ['10.1.1.1'] };
    await office.save({ ...cleared, targets: [...cleared.targets, 'http://10.1.1.1'], clearances: [forged] }, 'kim');
    expect(stored[0]?.clearances.map((clearance) => clearance.origin)).toEqual([origin]);
    await office.save({ ...cleared, targets: ['http://127.0.0.1:1'] }, 'ann');
    expect(stored[0]?.clearances).toEqual([]);
    expect(told().at(-1)).toBe('ann withdrawn: The target was removed, and with it its clearance by Mara.');
  });

  it('do not get lost where several change an environment at once', async () => {
    const office = officeOf();
    const before = plainEnvironment({ id: 'e1', projectId: 'p1', name: 'New name', targets: [] });
    await Promise.all([
      office.clear('p1', 'e1', clearing(), 'kim'),
      office.clear('p1', 'e1', clearing({ origin: 'http://here.company.example' }), 'ann'),
      office.save({ ...before, targets: ['http://127.0.0.1:1', origin, 'http://here.company.example'] }, 'bo'),
    ]);
    expect(stored[0]?.name).toBe('New name');
    expect(stored[0]?.clearances.map((clearance) => clearance.origin)).toEqual([origin, 'http://here.company.example']);
  });

  it('are taken back, once', async () => {
    const office = officeOf();
    await office.clear('p1', 'e1', clearing(), 'kim');
    await office.withdraw('p1', 'e1', origin, 'ann');
    expect(stored[0]).toMatchObject({ targets: ['http://127.0.0.1:1', origin], clearances: [] });
    expect(told().at(-1)).toBe('ann withdrawn: The clearance by Mara was taken back.');
    await expect(office.withdraw('p1', 'e1', origin, 'ann')).rejects.toThrow();
  });

  it('are noted when something makes use of them, and this machine is not', async () => {
    const office = officeOf();
    const environment = await office.clear('p1', 'e1', clearing(), 'kim');
    const script = { projectId: 'p1', name: 'Book', transactions: [] } as unknown as Script;
    await office.noteUse(environment, ['http://127.0.0.1:1', origin], 'Run 3 of “Peak”', 'ann');
    await office.toPlay(script, 'A rehearsal of “Book”', { by: 'ann' });
    expect(told().slice(1)).toEqual([`ann used: Run 3 of “Peak” may go to 10.20.0.7, cleared by Mara until ${inDays(30)}.`]);
  });
});
