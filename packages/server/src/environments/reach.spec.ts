import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Environment, HistoryEntry, Rehearsal, Run, Script, Take } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import { dataFolders } from '../backup/data-folder.js';
import { startServer, type RunningServer } from '../server.js';
import { OtherHost } from '../test/other-host.js';
import { askPlain } from '../test/proxy-client.js';

const made = OtherHost.make(1);
if (typeof made === 'string') process.stdout.write(`Tests between network namespaces are skipped: ${made}\n`);
const between = typeof made === 'string' ? describe.skip : describe;
const host = made as OtherHost;
const { origin, neighbour, network } = typeof made === 'string' ? { origin: '', neighbour: '', network: '' } : made;

const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
/** Where the names of the test lead at the moment. */
const names = new Map<string, string>();
const lookup: Lookup = (hostname, _options, callback) => {
  const address = names.get(hostname);
  if (address === undefined) callback(Object.assign(new Error('not found'), { code: 'ENOTFOUND' }), []);
  else callback(null, [{ address, family: 4 }]);
};

let folder = '';
let server: RunningServer;
/** Asks the API; gives the detail of a problem where it refuses. */
async function ask<T>(method: string, path: string, body?: unknown): Promise<T & { detail?: string }> {
  const answer = await fetch(`${server.origin}/api${path}`, {
    method,
    headers: { 'Content-Type': 'application/json', 'X-Sturdy-Person': 'Kim' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return (await answer.json()) as T & { detail?: string };
}
const clear = (target: string, more: object = {}) =>
  ask<Environment>('POST', '/projects/p1/environments/e1/clearances', {
    origin: target,
    by: 'Mara',
    for: 'load test of release 4.2',
    until: inDays(3),
    ...more,
  });
const withdraw = (target: string) =>
  ask<Environment>('DELETE', `/projects/p1/environments/e1/clearances?origin=${encodeURIComponent(target)}`);
/** Records what is asked of the proxy; gives the answers and the take. */
async function record(name: string, urls: string[]): Promise<{ answers: string[]; take: Take }> {
  const { proxy } = await ask<{ proxy: string }>('POST', '/projects/p1/takes/record', { name });
  const answers: string[] = [];
  for (const url of urls) {
    const { status, bytes } = await askPlain(proxy, url);
    answers.push(`${status} ${bytes.toString()}`);
  }
  return { answers, take: await ask<Take>('POST', '/takes/record/stop') };
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-reach-'));
  server = await startServer({
    port: 0,
    proxyPort: 0,
    store: { directory: folder },
    ...dataFolders(folder),
    targets: origin === '' ? [] : [origin],
    lookup,
  });
});
afterAll(async () => {
  await server.stop();
  rmSync(folder, { recursive: true, force: true });
});

between('a project whose application is on another host', () => {
  let script: Script;
  beforeAll(() => host.start());
  afterAll(() => host.end());
  beforeEach(() => {
    host.forget();
  });

  it('touches it with nothing before it is cleared', async () => {
    const { answers } = await record('Too soon', [`${origin}/`]);
    expect(answers).toEqual([expect.stringMatching(/^403 .* is not on this machine and is not cleared\. Clear it first/)]);
    const watched = await ask('POST', '/projects/p1/hosts/ask', { url: `${origin}/metrics` });
    expect(watched.detail).toContain(`${origin} is not on this machine and is not cleared`);
    const query = { address: `postgres://reader@${network}.2:5432/erp`, sql: 'select 1' };
    expect((await ask('POST', '/projects/p1/tables/try-query', query)).detail).toContain(`postgres://${network}.2:5432 is not a target`);
    expect(host.requests).toEqual([]);
  });

  it('records, rehearses and watches it once it is cleared, and nothing leads to its neighbour', async () => {
    expect((await clear(origin, { users: 2, requestsPerSecond: 5 })).detail).toBeUndefined();
    const { answers, take } = await record('Look', [`${origin}/`, `${origin}/away`, `${neighbour}/`]);
    expect(answers.map((answer) => answer.slice(0, 3))).toEqual(['200', '302', '403']);
    script = await ask<Script>('POST', `/takes/${take.id}/script`, { name: 'Look' });
    const rehearsal = await ask<Rehearsal>('POST', `/scripts/${script.id}/rehearse`);
    expect(rehearsal.steps.map(({ step }) => step).length).toBeGreaterThan(0);
    expect(rehearsal.detail).toBeUndefined();
    const { offered } = await ask<{ offered: unknown[] }>('POST', '/projects/p1/hosts/ask', { url: `${origin}/metrics` });
    expect(offered).toHaveLength(1);
    expect(host.requests.map(({ path }) => path)).toEqual(expect.arrayContaining(['/', '/away', '/metrics']));
    expect(host.requests.filter(({ to }) => to.startsWith(`${network}.3`))).toEqual([]);
  });

  it('plays runs there with no more users and requests than were cleared', async () => {
    const workload = {
      name: 'Peak',
      crews: [
        {
          id: 'c',
          name: 'Clerks',
          scriptId: script.id,
          users: 3,
          pacing: { kind: 'start-to-start', seconds: 0.1 },
          think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
          onFailure: 'go-on',
        },
      ],
      curve: { kind: 'at-once', holdSeconds: 3, rampDownSeconds: 0, atEnd: 'iteration' },
      criteria: [],
      generators: 2,
      seed: '1',
    };
    const { id, ...kept } = await ask<{ id: string; detail?: string }>('POST', '/projects/p1/workloads', workload);
    expect(kept.detail).toBeUndefined();
    expect((await ask('POST', `/workloads/${id}/run`)).detail).toContain('3 users would play at');
    expect(host.requests).toEqual([]);
    await ask('PUT', `/workloads/${id}`, { ...workload, id, projectId: 'p1', crews: [{ ...workload.crews[0], users: 2 }] });
    const run = await ask<Run>('POST', `/workloads/${id}/run`);
    let { state } = run;
    while (!['done', 'failed', 'aborted'].includes(state)) {
      await new Promise((go) => setTimeout(go, 200));
      state = (await ask<{ run: Run }>('GET', `/runs/${run.id}`)).run.state;
    }
    expect(state).toBe('done');
    const moments = host.requests.map(({ ms }) => ms);
    expect(moments.length).toBeGreaterThan(5);
    // Two users at ten a second would send more than twenty. Two generators may begin within the same moment.
    for (const from of moments) expect(moments.filter((ms) => ms >= from && ms < from + 1000).length).toBeLessThanOrEqual(7);
  });

  it('touches it no more once the clearance is taken back, and tells all of it in its history', async () => {
    await withdraw(origin);
    expect((await ask('POST', `/scripts/${script.id}/rehearse`)).detail).toContain('is not on this machine and is not cleared');
    expect(host.requests).toEqual([]);
    const history = await ask<HistoryEntry[]>('GET', '/projects/p1/history');
    expect([...history].reverse().map(({ kind, by, text }) => `${by} ${kind} ${text.split(/ may go| by Mara|, cleared/)[0]}`)).toEqual([
      'Kim cleared Cleared',
      'Kim used The recording “Look”',
      'Kim used A rehearsal of “Look”',
      'Kim used Run 1 of “Peak”',
      'Kim withdrawn The clearance',
    ]);
    expect(history.at(-1)?.text).toContain(`It leads to ${network}.2.`);
  });
});

describe('a name that is cleared', () => {
  const erp = 'erp-test.company.example';
  let application: Server;
  let target = '';
  let asked = 0;
  beforeAll(async () => {
    application = createServer((_request, response) => {
      asked++;
      response.end('ok');
    });
    await new Promise<void>((done) => application.listen(0, '127.0.0.1', done));
    target = `http://${erp}:${(application.address() as AddressInfo).port}`;
  });
  afterAll(() => new Promise((done) => application.close(done)));

  it('leads to the address that it had then; where it leads elsewhere later, no connection is made', async () => {
    names.set(erp, '127.0.0.1');
    expect((await clear(target)).clearances).toMatchObject([{ origin: target, addresses: ['127.0.0.1'] }]);
    expect((await record('As cleared', [`${target}/`])).answers).toEqual(['200 ok']);
    for (const elsewhere of ['127.0.0.2', '10.0.0.1', '169.254.169.254', '0.0.0.0', '::ffff:169.254.169.254']) {
      names.set(erp, elsewhere);
      const [answer] = (await record('Led astray', [`${target}/`])).answers;
      expect(answer).toMatch(/^502 .*(for which it was not cleared|where nothing is ever sent)/);
      expect((await ask('POST', '/projects/p1/hosts/ask', { url: `${target}/metrics` })).detail).toContain(`${target} leads to`);
    }
    expect(asked).toBe(1);
  });

  it('is refused for an address to which nothing is ever sent', async () => {
    names.set(erp, '169.254.169.254');
    expect((await clear(target)).detail).toContain('169.254.169.254, where nothing is ever sent');
  });
});
