import { writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { plainEnvironment, runResult, type Frame, type Run, type Workload } from '@sturdy/core';
import type { Compute } from '../compute/tasks.js';
import { LiveHub } from '../live/live-hub.js';
import { oneRequest } from '../test/one-request.js';
import type { Store } from '../store/store-client.js';
import { Conductor } from './conductor.js';
import { LinkedTransport, WorkerThreads } from './transport.js';

const worker = pathToFileURL(resolve('packages/engine/dist/generator/generator.worker.js'));
let folder: string;
let server: Server;
let origin: string;
let asked = 0;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-lost-'));
  server = createServer((_, response) => {
    asked++;
    response.end('ok');
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  // A generator like any other, but the first of its process to ask for it dies after two and a half seconds.
  writeFileSync(
    join(folder, 'mortal.mjs'),
    `import { workerData } from 'node:worker_threads';
await import(${JSON.stringify(worker.href)});
if (workerData.generator === 1) setTimeout(() => { throw new Error('killed by the test'); }, 2500);
`,
  );
});
afterAll(() => {
  server.close();
  rmSync(folder, { recursive: true, force: true });
});

it('a generator that is killed while it plays: its users go on elsewhere, and nothing is counted twice', async () => {
  const script = oneRequest(origin, '/');
  const workload: Workload = {
    id: 'w',
    projectId: 'p',
    name: 'W',
    generators: 2,
    takesOver: true,
    seed: '1',
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 6, rampDownSeconds: 0, atEnd: 'iteration' },
    crews: [
      {
        id: 'c',
        name: 'C',
        scriptId: 's',
        users: 6,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing: { kind: 'start-to-start', seconds: 0.5 },
        onFailure: 'go-on',
      },
    ],
    criteria: [],
  };
  const frames: Frame[] = [];
  let ended: (run: Run) => void = () => undefined;
  const over = new Promise<Run>((done) => (ended = done));
  const store = {
    scripts: () => Promise.resolve([script]),
    scriptVersions: () => Promise.resolve([]),
    tables: () => Promise.resolve([]),
    runs: () => Promise.resolve([]),
    frames: () => Promise.resolve(frames),
    hostPoints: () => Promise.resolve([]),
    saveFrames: (_: string, some: Frame[]) => Promise.resolve(void frames.push(...some)),
    saveRun: (run: Run) => {
      if (run.endedAt !== null) ended(run);
      return Promise.resolve();
    },
  } as unknown as Store;
  const compute = { runResult: (...given: Parameters<typeof runResult>) => Promise.resolve(runResult(...given)) } as unknown as Compute;
  const transport = new LinkedTransport(new WorkerThreads(pathToFileURL(join(folder, 'mortal.mjs'))));
  const environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] });
  await new Conductor(store, compute, new LiveHub(), transport).start(workload, environment);
  const run = await over;

  expect(run).toMatchObject({ state: 'done', generators: [{ lost: null }, { lost: 'A generator died: killed by the test' }] });
  expect(run.events?.map((event) => event.text)).toEqual(['generator 2 was lost with its 3 users, taken over by the others']);
  const { trust, iterationsPassed } = runResult(run, frames, [script]);
  expect(trust).toContainEqual({
    good: false,
    sentence:
      'Generator 2 was lost: A generator died: killed by the test. The others took over its users; what it had under way is missing.',
  });
  // All that was counted was asked for; what the lost one did not tell any more is missing, a second of three users at most.
  const transactions = frames.flatMap((frame) => frame.items).filter((item) => item.step === null);
  expect(transactions.reduce((sum, transaction) => sum + transaction.tally.count, 0)).toBe(iterationsPassed);
  expect(iterationsPassed).toBeLessThanOrEqual(asked);
  expect(asked - iterationsPassed).toBeLessThanOrEqual(4 * 3);
  // Nobody is played twice at a time, and all six are there to the end.
  const heard = new Set(frames.filter((frame) => frame.generator === 0).flatMap((frame) => frame.users.map((user) => user.user)));
  expect([...heard].sort()).toEqual([1, 2, 3, 4, 5, 6]);
}, 30_000);
