// Makes the demo project anew, out of nothing but Tidewell Yard: takes by the scripted user, scripts that replay, data, workloads and their runs, one of them
// after a release that is slower. Writes demo/tidewell.zip. Takes about five minutes; run it on a quiet machine and look at what it made.
import { createWriteStream, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { placesOf } from '../packages/core/dist/index.js';
import { checkDigit, playYardRobot } from '../packages/standins/dist/index.js';
import { startProduct, startYardProgram } from './processes.mjs';
import { demoBrief } from './demo-brief.mjs';
import { newDataCentre } from './demo-target.mjs';
import { root } from './setup.mjs';

const yard = 'http://127.0.0.1:4701';
const port = 4380;
const product = `http://127.0.0.1:${port}`;
const data = mkdtempSync(join(tmpdir(), 'sturdy-demo-'));
const started = [];

async function ask(method, path, body) {
  const answer = await fetch(`${product}/api${path}`, {
    method,
    headers: { 'Content-Type': 'application/json', 'X-Sturdy-Person': 'Mara' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const result = await answer.json();
  if (!answer.ok) throw new Error(`${method} ${path}: ${result.detail}`);
  return result;
}
const say = (text) => process.stdout.write(`${text}\n`);

/** A container number after ISO 6346 that no row of the table has. */
function container(serial) {
  const firstTen = `TWDU${String(serial).padStart(6, '0')}`;
  return firstTen + String(checkDigit(firstTen));
}

async function record(name, transactions, number, bayChoice) {
  const { take, proxy } = await ask('POST', '/projects/p1/takes/record', { name });
  await playYardRobot({
    origin: yard,
    proxy,
    transactions,
    container: number,
    bayChoice,
    mark: (kind, text) => ask('POST', '/takes/record/marks', { kind, text }),
  });
  await ask('POST', '/takes/record/stop');
  say(`recorded ${name}`);
  return take.id;
}

/** A script of two takes of one flow, correlated, fed with containers, and repaired until it is proven. */
async function makeScript(name, first, second, number, table) {
  let script = await ask('POST', `/takes/${first}/script`, { name });
  // The first thing that one sees of a script is how it fails.
  await ask('POST', `/scripts/${script.id}/rehearse`, {});
  script = (await ask('POST', `/scripts/${script.id}/correlate`, { secondTakeId: second })).script;
  const places = placesOf(script, number).map(({ step, place }) => ({ step, place }));
  script = await ask('POST', `/scripts/${script.id}/bind`, { value: number, places, table: table.id, column: 'container' });
  const repaired = await ask('POST', `/scripts/${script.id}/repair`);
  say(`${name}: ${repaired.result} after ${repaired.rounds.length} rounds, ${repaired.script.handoffs.length} handoffs`);
  return repaired.script;
}

async function addChecks(script) {
  const suggestions = await ask('GET', `/scripts/${script.id}/check-suggestions`);
  const first = suggestions.slice(0, 2);
  const changed = structuredClone(await ask('GET', `/scripts/${script.id}`));
  for (const transaction of changed.transactions)
    for (const step of transaction.steps) {
      const fitting = first.filter((suggestion) => suggestion.step === step.id);
      if (fitting.length > 0) step.checks = [...(step.checks ?? []), ...fitting.map(({ check }) => check)];
    }
  await ask('PUT', `/scripts/${script.id}`, changed);
  say(`${first.length} checks in ${script.name}`);
}

const crew = (id, script, users, seconds) => ({
  id,
  name: script.name,
  scriptId: script.id,
  users,
  think: { kind: 'scaled', factor: 0.25, ms: 0, capMs: 2000 },
  pacing: { kind: 'start-to-start', seconds },
  onFailure: 'next-iteration',
});
const makeWorkload = (name, crews, curve) =>
  ask('POST', '/projects/p1/workloads', { name, crews, curve, criteria: [], generators: 1, seed: name });

async function play(workload) {
  const { id, number } = await ask('POST', `/workloads/${workload.id}/run`);
  for (;;) {
    await new Promise((done) => setTimeout(done, 1000));
    const { run } = await ask('GET', `/runs/${id}`);
    if (['starting', 'running', 'finishing'].includes(run.state)) continue;
    say(`run ${number}, ${workload.name}: ${run.state}, ${run.verdict}`);
    return id;
  }
}

/** Says which release a run played against, and whether it is the zero line. */
const mark = (run, release, baseline = false) => ask('PUT', `/runs/${run}/marks`, { release, baseline });

try {
  let yardProgram = await startYardProgram(4701, { seed: 42 });
  started.push(yardProgram);
  started.push(await startProduct({ port, proxyPort: port + 1, data, targets: [yard] }));
  const settings = await ask('GET', '/projects/p1/settings');
  const url = `${yard}/metrics`;
  const { offered } = await ask('POST', '/projects/p1/hosts/ask', { url });
  await ask('PUT', '/projects/p1/settings', {
    ...settings,
    failureSigns: [{ kind: 'text', text: 'Your visit has ended' }],
    watches: [...settings.watches, { id: 'yard', name: 'Tidewell Yard', kind: 'open-metrics', url, everySeconds: 2, shown: offered }],
  });
  const staging = await ask('POST', '/projects/p1/environments', { name: 'Half of production' });
  await ask('PUT', `/projects/p1/environments/${staging.id}`, {
    ...staging,
    productionLike: true,
    targets: [yard, 'https://erp-test.company.example'],
  });
  // Cleared by the demo once it has come in: a clearance does not travel. The address is of a made-up network of RFC 4193, so nobody has it.
  const next = await ask('POST', '/projects/p1/environments', { name: 'New data centre' });
  await ask('PUT', `/projects/p1/environments/${next.id}`, { ...next, targets: [newDataCentre] });
  const table = await ask('POST', '/projects/p1/tables/generate', {
    name: 'containers',
    count: 5000,
    seed: 'demo',
    columns: [
      { kind: 'container', name: 'container', owner: 'TWCU' },
      {
        kind: 'pick',
        name: 'goods',
        from: [
          { text: 'Frozen cod', weight: 3 },
          { text: 'Plums', weight: 1 },
        ],
      },
    ],
  });

  const whole = ['sign-in', 'book-intake', 'allocate-bay', 'release-load', 'sign-out'];
  const inspect = ['sign-in', 'book-intake', 'inspect-load', 'sign-out'];
  const find = ['sign-in', 'book-intake', 'find-intake', 'sign-out'];
  const scripts = [];
  for (const [at, [name, transactions]] of [
    ['Book intake', whole],
    ['Inspect load', inspect],
    ['Find intake', find],
  ].entries()) {
    const number = container(100 + 10 * at);
    const first = await record(`${name}, take 1`, transactions, number, 1);
    const second = await record(`${name}, take 2`, transactions, container(101 + 10 * at), 2);
    scripts.push(await makeScript(name, first, second, number, table));
  }
  const [book, inspectLoad, findIntake] = scripts;
  await addChecks(book);
  const signIn = book.transactions.find(({ name }) => name === 'Sign in');
  if (signIn) await ask('POST', `/scripts/${book.id}/parts`, { transaction: signIn.id });

  // The brief is what the runs are judged by. Who changes it has to ask those who signed again.
  await ask('PUT', '/projects/p1/brief', demoBrief);
  for (const [by, role] of [
    ['Odile Marsh', 'operations'],
    ['Per Lund', 'business'],
  ])
    await ask('POST', '/projects/p1/brief/signatures', { by, role });
  const baseline = await makeWorkload('Baseline, one user', [{ ...crew('c1', book, 1, 0), pacing: { kind: 'none', seconds: 0 } }], {
    kind: 'at-once',
    holdSeconds: 45,
    rampDownSeconds: 0,
    atEnd: 'iteration',
  });
  const ramp = await makeWorkload(
    'Thursday morning',
    [crew('c1', book, 12, 4), crew('c2', inspectLoad, 3, 5), crew('c3', findIntake, 5, 5)],
    { kind: 'ramp', together: 2, rampUpSeconds: 15, holdSeconds: 45, rampDownSeconds: 5, atEnd: 'iteration' },
  );
  const stairs = await makeWorkload('Staircase, where it turns', [{ ...crew('c1', book, 60, 0), pacing: { kind: 'none', seconds: 0 } }], {
    kind: 'staircase',
    first: 5,
    add: 5,
    everySeconds: 12,
    rampDownSeconds: 5,
    atEnd: 'iteration',
  });
  await mark(await play(baseline), '4.1', true);
  await mark(await play(ramp), '4.1');
  await mark(await play(stairs), '4.1');
  // The next release takes three times as long for everything.
  yardProgram.kill('SIGTERM');
  await new Promise((gone) => yardProgram.once('exit', gone));
  yardProgram = await startYardProgram(4701, { seed: 43, serviceMeanMs: 36 });
  started.push(yardProgram);
  await mark(await play(ramp), '4.2');

  const folder = join(root, 'demo');
  mkdirSync(folder, { recursive: true });
  const { body } = await fetch(`${product}/api/projects/p1/export`);
  await pipeline(Readable.fromWeb(body), createWriteStream(join(folder, 'tidewell.zip')));
  say('demo/tidewell.zip was written');
} finally {
  for (const program of started) program.kill('SIGTERM');
  await new Promise((done) => setTimeout(done, 2000));
  rmSync(data, { recursive: true, force: true });
}
