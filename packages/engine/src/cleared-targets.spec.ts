import { createServer as createLineServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import type { LookupAddress } from 'node:dns';
import { ClearanceSchema, plainEnvironment, type Environment } from '@sturdy/core';
import { Ceilings } from './contract/ceilings.js';
import { HttpDriver, optionsFor, pinAddresses, rulesFor, TargetTls, type WireRequest } from './index.js';
import type { Lookup } from './net/guarded-lookup.js';
import { get } from './test/get.js';
import { LineDriver } from './drivers/line/line-driver.js';
import { serve } from './test/serve.js';

/** A name server of the test: it answers as it is told, and notes what it was asked. */
class Names {
  readonly asked: string[] = [];
  constructor(public answers: string[]) {}
  readonly lookup: Lookup = (hostname, _options, callback) => {
    this.asked.push(hostname);
    const found = this.answers.map((address): LookupAddress => ({ address, family: address.includes(':') ? 6 : 4 }));
    if (found.length > 0) callback(null, found);
    else callback(Object.assign(new Error('getaddrinfo ENOTFOUND'), { code: 'ENOTFOUND' }), []);
  };
}

// The name is not of this machine, so it needs a clearance; that it leads here is what the test's own resolver says.
const name = 'erp-test.company.example';
const cleared = (origin: string, more: object = {}): Environment => ({
  ...plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] }),
  clearances: [ClearanceSchema.parse({ origin, by: 'Mara', for: 'a test', until: '2099-01-01', addresses: ['127.0.0.1'], ...more })].map(
    (clearance) => ({ ...clearance, until: new Date(Date.now() + 3_600_000).toISOString(), ...more }),
  ),
});
const visit = (origin: string, target = '/', more: Partial<WireRequest> = {}) => get(origin, target, { followRedirects: true, ...more });
const driverFor = (environment: Environment, names: Names, ceilings = new Ceilings()) =>
  new HttpDriver({ ...optionsFor(environment, new TargetTls(environment), {}, ceilings), lookup: names.lookup });

describe('a connection to a cleared target', () => {
  let asked = 0;
  let redirect = '';
  let port = 0;
  let stop: () => void;
  beforeAll(async () => {
    const { server } = await serve((request, response) => {
      asked++;
      if (request.url === '/go') response.writeHead(302, { Location: redirect }).end();
      else response.end('ok');
    });
    port = (server.address() as AddressInfo).port;
    stop = () => server.close();
  });
  afterAll(() => {
    stop();
  });
  beforeEach(() => (asked = 0));
  const origin = () => `http://${name}:${port}`;

  it('is made where the name leads to an address for which it was cleared', async () => {
    const names = new Names(['127.0.0.1']);
    const driver = driverFor(cleared(origin()), names);
    expect(await driver.send(visit(origin()))).toMatchObject({ status: 200, failure: null });
    expect(names.asked).toEqual([name]);
    await driver.close();
  });

  it('is not made once the name leads elsewhere (rebinding), even to this machine or to addresses beside the cleared one', async () => {
    const names = new Names(['127.0.0.2']);
    const driver = driverFor(cleared(origin()), names);
    const { failure } = await driver.send(visit(origin()));
    expect(failure).toEqual({
      code: 'address-not-cleared',
      subject: '',
      text: `${origin()} leads to 127.0.0.2, for which it was not cleared (127.0.0.1). No connection was made.`,
    });
    // Of several answers only the cleared one is used.
    names.answers = ['169.254.169.254', '127.0.0.1', '::1'];
    expect(await driver.send(visit(origin()))).toMatchObject({ status: 200 });
    expect(asked).toBe(1);
    await driver.close();
  });

  it.each([
    ['169.254.169.254', 'where nothing is ever sent'],
    ['0.0.0.0', 'where nothing is ever sent'],
    ['::ffff:169.254.169.254', 'where nothing is ever sent'],
    ['fe80::1', 'where nothing is ever sent'],
    ['10.0.0.8', 'for which it was not cleared'],
  ])('is not made to %s', async (address, words) => {
    const driver = driverFor(cleared(origin()), new Names([address]));
    const { failure } = await driver.send(visit(origin()));
    expect([failure?.code, failure?.text]).toEqual(['address-not-cleared', expect.stringContaining(words)]);
    expect(asked).toBe(0);
    await driver.close();
  });

  it('is not made to what a redirect names, unless that is a target of its own', async () => {
    const names = new Names(['127.0.0.1']);
    const driver = driverFor(cleared(origin()), names);
    for (const to of [
      'http://169.254.169.254/latest/',
      `http://other.company.example:${port}/`,
      `http://127.0.0.1:${port}/`,
      `http://0x7f.1:${port}/`,
      `//other.company.example:${port}/`,
      `http://${name}@169.254.169.254/`,
    ]) {
      redirect = to;
      const answer = await driver.send(visit(origin(), '/go'));
      expect(answer.failure?.code).toBe('target-not-allowed');
    }
    expect(new Set(names.asked)).toEqual(new Set([name]));
    expect(asked).toBe(6);
    await driver.close();
  });

  it('is not made to an address in the place of a name for which nobody cleared it', async () => {
    const literal = `http://10.0.0.8:${port}`;
    const driver = driverFor(cleared(literal, { addresses: ['10.0.0.7'] }), new Names([]));
    expect((await driver.send(visit(literal))).failure?.code).toBe('address-not-cleared');
    await driver.close();
  });

  it('of a WebSocket is checked in the same way', async () => {
    const driver = driverFor(cleared(origin()), new Names(['10.0.0.8']));
    const { failure } = await driver.send(visit(origin(), '/line', { opensSocket: 'line' }));
    expect(failure?.text).toContain('for which it was not cleared');
    expect(asked).toBe(0);
    await driver.close();
  });

  it('of lines is checked in the same way', async () => {
    const printer = createLineServer((socket) => socket.on('data', () => socket.write('OK\n')));
    await new Promise<void>((done) => printer.listen(0, '127.0.0.1', done));
    const line = `tcp://${name}:${(printer.address() as AddressInfo).port}`;
    const names = new Names(['127.0.0.1']);
    const driver = new LineDriver(rulesFor(cleared(line)), new Ceilings(), names.lookup);
    const action = { origin: line, send: 'PRINT', awaits: true };
    expect((await driver.perform(action)).observation).toEqual({ answer: 'OK' });
    await driver.close();
    names.answers = ['10.0.0.8'];
    expect((await driver.perform(action)).failure?.code).toBe('address-not-cleared');
    await driver.close();
    printer.close();
  });

  it('of a name of this machine stays on this machine', async () => {
    const here = `http://localhost:${port}`;
    const environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [here] });
    const driver = driverFor(environment, new Names(['10.0.0.8']));
    expect((await driver.send(visit(here))).failure?.text).toContain('which is not this machine');
    await driver.close();
  });

  it('ends with the clearance, in the middle of a test', async () => {
    jest.useFakeTimers({ doNotFake: ['nextTick', 'setImmediate', 'setTimeout', 'setInterval', 'queueMicrotask', 'performance'] });
    const driver = driverFor(cleared(origin()), new Names(['127.0.0.1']));
    expect((await driver.send(visit(origin()))).failure).toBeNull();
    jest.setSystemTime(Date.now() + 3_700_000);
    expect((await driver.send(visit(origin()))).failure?.code).toBe('clearance-ended');
    jest.useRealTimers();
    await driver.close();
  });
});

describe('addresses of cleared targets', () => {
  it('are those that their names have when something begins, and are kept where they were named', async () => {
    const names = new Names(['10.0.0.7', '10.0.0.7', '10.0.0.9']);
    const addressesOf = async (environment: Environment) =>
      (await pinAddresses(environment, names.lookup)).clearances.map(({ addresses }) => addresses);
    expect(await addressesOf(cleared(`http://${name}`, { addresses: [] }))).toEqual([['10.0.0.7', '10.0.0.9']]);
    expect(await addressesOf(cleared(`http://${name}`))).toEqual([['127.0.0.1']]);
    expect(await addressesOf(cleared('http://[fd00::7]:80', { addresses: [] }))).toEqual([['fd00::7']]);
    names.answers = [];
    await expect(addressesOf(cleared(`http://${name}`, { addresses: [] }))).rejects.toThrow(
      'has no address: its name cannot be looked up (ENOTFOUND).',
    );
  });
});

describe('a ceiling', () => {
  const rules = rulesFor(cleared('http://erp', { requestsPerSecond: 10 }));

  it('lets the first go at once, and the others at their distance; what comes later than its turn does not wait', () => {
    const ceilings = new Ceilings();
    const turns = [0, 0, 0, 350].map((nowMs) => ceilings.turnInMs(rules, 'http://erp', 1000 + nowMs));
    expect(turns).toEqual([0, 100, 200, 0]);
    expect(ceilings.takeHeldBack()).toEqual([{ origin: 'http://erp', count: 2 }]);
    expect(ceilings.takeHeldBack()).toEqual([]);
  });

  it('is shared by generators, so that all of them together stay below it', () => {
    const times = [0, 1, 2].flatMap(() => {
      const ceilings = new Ceilings(3);
      return Array.from({ length: 20 }, () => ceilings.turnInMs(rules, 'http://erp', 0));
    });
    for (let second = 1; second < 5; second++) {
      const within = times.filter((ms) => ms >= second * 1000 && ms < second * 1000 + 1000);
      expect(within.length).toBeLessThanOrEqual(12);
    }
    expect(Math.max(...times)).toBeGreaterThanOrEqual((1000 * 19 * 3) / 10);
  });

  it('holds nobody back where there is none', () => {
    const ceilings = new Ceilings();
    expect([1, 2, 3].map(() => ceilings.turnInMs(rulesFor(cleared('http://erp')), 'http://erp', 0))).toEqual([0, 0, 0]);
    expect(ceilings.turnInMs(rules, 'http://127.0.0.1:1', 0)).toBe(0);
  });

  it('holds for redirects, too, and its wait is not counted as time of the application', async () => {
    const moments: number[] = [];
    const { server } = await serve((request, response) => {
      moments.push(performance.now());
      if (request.url === '/go') response.writeHead(302, { Location: '/end' }).end();
      else response.end('ok');
    });
    const origin = `http://${name}:${(server.address() as AddressInfo).port}`;
    const driver = driverFor(cleared(origin, { requestsPerSecond: 5 }), new Names(['127.0.0.1']));
    const answers = await Promise.all([0, 1, 2].map(() => driver.send(visit(origin, '/go'))));
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200]);
    const distances = moments.slice(1).map((ms, at) => ms - (moments[at] ?? 0));
    // Six exchanges at 5 a second take a second; a timer may fire some ms early or late.
    expect((moments.at(-1) ?? 0) - (moments[0] ?? 0)).toBeGreaterThan(950);
    expect(Math.min(...distances)).toBeGreaterThan(150);
    expect(Math.max(...answers.map(({ timings }) => timings.wait))).toBeLessThan(150);
    await driver.close();
    server.close();
  });
});
