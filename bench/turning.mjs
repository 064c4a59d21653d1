// Where service turns, measured on Yards of known capacity: three seeded runs up a staircase, each beside the turn that follows from pauses and service
// times alone (the bounds of a closed queueing model cross there; Lazowska and others 1984, chapter 5). Bounded: three runs of about 100 s at some 130
// requests a second, to this machine alone.
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { actionSteps, allSteps } from '../packages/core/dist/index.js';
import { startYard } from '../packages/standins/dist/index.js';
import { startProduct } from '../scripts/processes.mjs';
import { root } from '../scripts/setup.mjs';

const port = 4370;
const product = `http://127.0.0.1:${port}`;
const workers = 4;
const serviceMeanMs = 30;
/** Part of the recorded pauses that users take. */
const thinking = 0.25;
const data = mkdtempSync(join(tmpdir(), 'sturdy-bench-'));
const say = (text) => process.stdout.write(`${text}\n`);

async function ask(method, path, body) {
  const answer = await fetch(`${product}/api${path}`, {
    method,
    headers: { 'Content-Type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const result = await answer.json();
  if (!answer.ok) throw new Error(`${method} ${path}: ${result.detail}`);
  return result;
}

const program = await startProduct({ port, proxyPort: port + 1, data, targets: ['http://127.0.0.1:4701'] });
try {
  const answer = await fetch(`${product}/api/projects/import`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/zip' },
    body: readFileSync(join(root, 'demo', 'tidewell.zip')),
  });
  const project = (await answer.json()).project.id;
  const [environment] = await ask('GET', `/projects/${project}/environments`);
  const [recorded] = environment.targets;
  const script = (await ask('GET', `/projects/${project}/scripts`)).find(({ name }) => name === 'Book intake');
  const pauseMs = script.transactions
    .flatMap(({ steps }) => allSteps(steps))
    .reduce((sum, step) => sum + (step.kind === 'pause' ? Math.min(2000, thinking * step.ms) : 0), 0);
  const requests = actionSteps(script).length;
  const aloneMs = pauseMs + requests * serviceMeanMs;
  const expected = aloneMs / ((requests * serviceMeanMs) / workers);
  say(
    `computed: ${requests} requests of ${serviceMeanMs} ms and ${Math.round(pauseMs)} ms of pauses, ${workers} workers: turns at ${expected.toFixed(1)} users`,
  );
  let held = 0;
  for (const seed of [1, 2, 3]) {
    const yard = await startYard({ port: 0, workers, serviceMeanMs, seed });
    // All three need more rows than one table has.
    for (const table of await ask('GET', `/projects/${project}/tables`)) await ask('POST', `/tables/${table.id}/release`, {});
    await ask('PUT', `/projects/${project}/environments/${environment.id}`, {
      ...environment,
      targets: [yard.origin],
      map: { [recorded]: yard.origin },
    });
    const workload = await ask('POST', `/projects/${project}/workloads`, {
      name: `Stairs, seed ${seed}`,
      crews: [
        {
          id: 'c1',
          name: 'Clerks',
          scriptId: script.id,
          users: Math.round(2.5 * expected),
          think: { kind: 'scaled', factor: thinking, ms: 0, capMs: 2000 },
          pacing: { kind: 'none', seconds: 0 },
          onFailure: 'next-iteration',
        },
      ],
      curve: { kind: 'staircase', first: 3, add: 3, everySeconds: 10, rampDownSeconds: 0, atEnd: 'iteration' },
      criteria: [],
      generators: 1,
      seed: String(seed),
    });
    const { id } = await ask('POST', `/workloads/${workload.id}/run`);
    for (let ended = false; !ended;) {
      await new Promise((done) => setTimeout(done, 1000));
      ended = (await ask('GET', `/runs/${id}`)).run.endedAt !== null;
    }
    const finding = (await ask('GET', `/runs/${id}/findings`)).find(({ sentence }) => sentence.startsWith('Service turns at about'));
    const mark = finding?.chart?.mark;
    const isHeld = mark !== undefined && mark !== null && mark.low <= expected && expected <= mark.high;
    if (isHeld) held++;
    say(
      `seed ${seed}: ${finding?.sentence ?? 'no turn was told'} ${isHeld ? 'The computed one lies within.' : 'The computed one does not lie within.'}`,
    );
    await yard.stop();
  }
  say(`${held} of 3 intervals hold the computed turn`);
} finally {
  program.kill('SIGTERM');
  await new Promise((done) => program.once('exit', done));
  rmSync(data, { recursive: true, force: true });
}
