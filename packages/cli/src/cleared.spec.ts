import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { RunFileSchema, writeScript, type RequestStep, type Script } from '@sturdy/core';
import { OtherHost } from '../../server/src/test/other-host.js';

const made = OtherHost.make(0);
if (typeof made === 'string') process.stdout.write(`Tests between network namespaces are skipped: ${made}\n`);
const between = typeof made === 'string' ? describe.skip : describe;
const host = made as OtherHost;
const { origin, network } = typeof made === 'string' ? { origin: '', network: '' } : made;

let folder = '';
const file = (name: string) => join(folder, name);
const requests = () => host.requests;

const script = (path: string): Script => {
  const step: RequestStep = {
    kind: 'request',
    id: 's1',
    name: `GET ${path}`,
    exchange: null,
    method: 'GET',
    origin,
    url: [{ kind: 'text', text: path }],
    headers: [],
    body: null,
    bodyFile: null,
    expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
    followRedirects: true,
  };
  return {
    id: 's',
    projectId: 'p',
    name: 'Look',
    takeId: '',
    secondTakeId: null,
    transactions: [{ kind: 'transaction', id: 't1', name: 'Look', steps: [step] }],
    handoffs: [],
    made: [],
    unsure: [],
  };
};
const clearedUntil = (until: string, more = '') => `targets:
  - origin: ${origin}
    cleared: { by: Mara, for: load test of release 4.2, until: ${until}${more} }
`;
const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);

/** Plays the workload with so many users for three seconds. */
function run(environment: string, users: number, path = '/', policy = ''): Promise<{ status: number | null; error: string }> {
  writeFileSync(file('look.yaml'), writeScript(script(path)));
  writeFileSync(file('env.yaml'), environment);
  writeFileSync(
    file('w.yaml'),
    `environment: env.yaml
generators: 2
crews:
  - { script: look.yaml, users: ${users}, pacing: { kind: start-to-start, seconds: 0.1 } }
curve: { kind: ramp, rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: iteration }
criteria:
  - { measure: error-rate, limit: 0 }
`,
  );
  host.forget();
  return new Promise((done) => {
    writeFileSync(file('policy.yaml'), policy);
    const child = spawn(process.execPath, [join(__dirname, '../bin/sturdy.mjs'), 'run', file('w.yaml'), '--out', file('out')], {
      env: { ...process.env, STURDY_POLICY: policy === '' ? '' : file('policy.yaml') },
    });
    let error = '';
    child.stderr.on('data', (piece: Buffer) => (error += piece.toString()));
    child.on('close', (status) => {
      done({ status, error });
    });
  });
}
const result = () => RunFileSchema.parse(JSON.parse(readFileSync(file('out/result.json'), 'utf8'))).result;

between('a target on another host', () => {
  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'sturdy-cleared-'));
    await host.start();
  });
  afterAll(async () => {
    await host.end();
    rmSync(folder, { recursive: true, force: true });
  });

  it('is not touched until it is cleared; what would clear it is printed, and can be pasted', async () => {
    const plain = await run(`targets:\n  - ${origin}\n`, 2);
    expect(plain.status).toBe(2);
    expect(plain.error).toContain(`${origin} is not on this machine and is not cleared.`);
    expect(requests()).toEqual([]);
    const lines = plain.error.slice(plain.error.indexOf('targets:')).replace('YOUR NAME', 'Mara');
    const cleared = await run(lines, 2);
    expect(cleared.error).toContain(`${origin} (${network}.2) was cleared by Mara until`);
    expect([0, 3]).toContain(cleared.status);
    expect(requests().length).toBeGreaterThan(5);
  });

  it('is not touched once its clearance has ended, nor by more users than it was cleared for', async () => {
    const ended = await run(clearedUntil(inDays(-1)), 1);
    expect([ended.status, ended.error]).toEqual([2, expect.stringContaining(`The clearance of ${origin} by Mara ended on ${inDays(-1)}.`)]);
    const many = await run(clearedUntil(inDays(2), ', users: 2'), 3);
    expect([many.status, many.error]).toEqual([2, expect.stringContaining(`3 users would play at ${origin}, which Mara cleared for 2.`)]);
    expect(requests()).toEqual([]);
  });

  it('gets no more requests a second than it was cleared for, from all generators together, and the run says that it was held back', async () => {
    const { status } = await run(clearedUntil(inDays(2), ', requestsPerSecond: 8'), 6);
    // Its criteria held, but the load was not the one that was planned.
    expect(status).toBe(3);
    const moments = requests().map(({ ms }) => ms);
    expect(moments.length).toBeGreaterThan(15);
    // Six users at ten a second would send sixty. Two generators may begin within the same moment.
    for (const from of moments) expect(moments.filter((ms) => ms >= from && ms < from + 1000).length).toBeLessThanOrEqual(10);
    const { run: played, trust } = result();
    expect(played.events?.filter(({ kind }) => kind === 'ceiling')).toMatchObject([{ origin }]);
    expect(trust).toContainEqual({
      good: false,
      sentence: expect.stringContaining(`requests to ${origin} waited for the ceiling`) as string,
    });
  });

  it('is not touched where the operator of this machine does not allow it, whoever cleared it', async () => {
    const elsewhere = await run(clearedUntil(inDays(2)), 1, '/', 'networks: [10.20.0.0/16]\n');
    expect([elsewhere.status, elsewhere.error]).toEqual([
      2,
      expect.stringContaining(`${network}.2 is in none of its networks (10.20.0.0/16).`),
    ]);
    const wrong = await run(clearedUntil(inDays(2)), 1, '/', 'networks: [ten]\n');
    expect([wrong.status, wrong.error]).toEqual([
      2,
      expect.stringContaining('policy.yaml:1:12: networks.0: Write a network, such as 10.20.0.0/16.'),
    ]);
    expect(requests()).toEqual([]);
    const allowed = await run(clearedUntil(inDays(2)), 1, '/', `networks: [${network}.0/24]\npublicAddresses: false\n`);
    expect(allowed.status).toBe(0);
    expect(requests().length).toBeGreaterThan(3);
  });

  it('leads nowhere else: a redirect to its neighbour is not followed', async () => {
    await run(clearedUntil(inDays(2)), 1, '/away');
    expect(requests().length).toBeGreaterThan(3);
    expect(requests().filter(({ to }) => to.startsWith(`${network}.3`))).toEqual([]);
  });
});
