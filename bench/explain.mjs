// What it takes to explain a run of five million samples: its figures, its findings, a comparison with another run, a report of twelve charts as PDF, a view
// of series, and a question in SQL.
// Seeded and bounded; frames are made here, nothing is sent anywhere.
import { appendFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  exampleQuestions,
  seriesPoints,
  findingsOf,
  lanesOf,
  lanesOptions,
  compareRuns,
  emptyBrief,
  paperColour,
  plainRules,
  plainTemplate,
  reportDocument,
  runResult,
  Tally,
} from '../packages/core/dist/index.js';
import { drawChart } from '../packages/server/dist/documents/draw-chart.js';
import { Questions } from '../packages/server/dist/explore/questions.js';
import { writeParquet } from '../packages/server/dist/samples/parquet.js';
import { readRunTables, tablePath, writeRunTables } from '../packages/server/dist/samples/run-table-files.js';
import { batchBytes } from '../packages/server/dist/samples/sample-batches.js';
import { writePdf } from '../packages/server/dist/documents/write-pdf.js';

const seconds = 3600;
const generators = 2;
const transactions = Array.from({ length: 12 }, (_, at) => `Transaction ${at + 1}`);
const millions = 5;
const perItem = Math.round((millions * 1e6) / seconds / generators / transactions.length);

/** Numbers from 0 to below 1, always the same (Park and Miller 1988). */
function drawing(seed) {
  let state = seed;
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647;
}

const workload = {
  id: 'w',
  projectId: 'p',
  name: 'Peak',
  crews: [
    {
      id: 'c',
      name: 'Clerks',
      scriptId: 's',
      users: 500,
      think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
      pacing: { kind: 'none', seconds: 0 },
      onFailure: 'go-on',
    },
  ],
  curve: { kind: 'ramp', together: 1, rampUpSeconds: 600, holdSeconds: 3000, rampDownSeconds: 0, atEnd: 'iteration' },
  criteria: transactions.map((transaction, at) => ({ id: `k${at}`, measure: 'p95', transaction, limit: 400 })),
  generators,
  seed: '1',
};
const script = {
  id: 's',
  name: 'Peak',
  transactions: transactions.map((name, at) => ({ kind: 'transaction', id: `t${at}`, name, steps: [] })),
  handoffs: [],
};

function makeRun(number, seed) {
  const random = drawing(seed);
  const frames = [];
  for (let second = 0; second < seconds; second++)
    for (let generator = 0; generator < generators; generator++)
      frames.push({
        version: 1,
        generator,
        second,
        activeUsers: Math.min(250, Math.ceil((250 * (second + 1)) / 600)),
        iterationsPassed: perItem,
        iterationsFailed: 0,
        failures: [],
        users: [],
        loopDelayMs: 1,
        latenessMs: 1,
        missedArrivals: 0,
        items: transactions.map((transaction) => {
          const tally = new Tally();
          for (let n = 0; n < perItem; n++) tally.add(20 - 60 * Math.log(1 - random()), true);
          return { crew: 'c', transaction, step: null, tally: tally.toData() };
        }),
      });
  const hosts = Array.from({ length: 12 }, (_, at) => ({
    id: `h/${at}`,
    host: `Host ${at + 1}`,
    name: 'processor',
    unit: '%',
    points: Array.from({ length: seconds / 2 }, (_, place) => [2 * place, 40 + 20 * random()]),
  }));
  const run = {
    id: `r${number}`,
    projectId: 'p',
    number,
    workload,
    environmentId: 'e',
    state: 'done',
    startedAt: '2026-11-30T10:00:00.000Z',
    endedAt: null,
    note: null,
    verdict: 'held',
    watches: [],
  };
  return { run, frames, hosts };
}

const say = (text) => process.stdout.write(`${text}\n`);
function timed(what, work) {
  const begun = performance.now();
  const result = work();
  say(`${what}: ${((performance.now() - begun) / 1000).toFixed(1)} s`);
  return result;
}

const [first, second] = [makeRun(1, 7), makeRun(2, 11)];
say(
  `a run of ${millions} million samples: ${seconds} s, ${generators} generators, ${transactions.length} transactions, ${first.hosts.length} figures of hosts`,
);
const measured = [first, second].map(({ run, frames, hosts }, at) => ({
  result:
    at === 0
      ? timed('its figures, verdict and trust', () => runResult(run, frames, [script], hosts))
      : runResult(run, frames, [script], hosts),
  frames,
  hosts,
}));
const ground = { ...first, scripts: [script], rules: plainRules, capacityPercent: 50, baseline: null, random: drawing(3) };
const findings = timed('its findings', () => findingsOf(ground));
const comparison = timed('a comparison with another run', () => compareRuns(measured, [script], drawing(5)));
const lanes = timed('its lanes', () => lanesOf(first.frames));
const begun = performance.now();
const document = reportDocument(plainTemplate, {
  project: 'Bench',
  result: measured[0].result,
  lanes,
  findings,
  hosts: first.hosts,
  scripts: [script],
  baseline: null,
  comparison,
  brief: emptyBrief,
  day: 'today',
  by: 'bench',
  draw: drawChart,
});
const charts = document.blocks.filter(({ kind }) => kind === 'figure').length;
// As many more of the largest kind as make twelve.
for (let more = charts; more < 12; more++) {
  const options = lanesOptions(
    { points: lanes, seconds, limitMs: 400, hosts: first.hosts.slice(more % 12, (more % 12) + 1), events: [], stretch: null },
    paperColour,
  );
  document.blocks.push({ kind: 'figure', svg: drawChart(options, 980, 600), caption: `Chart ${more + 1}`, width: 980, height: 600 });
}
const bytes = await writePdf(document);
say(`a report of 12 charts as PDF (${(bytes.length / 1e6).toFixed(1)} MB): ${((performance.now() - begun) / 1000).toFixed(1)} s`);

// Explore: the tables of the run as files, a saved view read from them, and a question in SQL over the samples.
const folder = mkdtempSync(join(tmpdir(), 'sturdy-bench-'));
async function timedAsync(what, work) {
  const began = performance.now();
  const result = await work();
  say(`${what}: ${((performance.now() - began) / 1000).toFixed(2)} s`);
  return result;
}
const ended = { ...first.run, endedAt: '2026-11-30T11:00:00.000Z' };
await timedAsync('its tables as files, once', () => writeRunTables(folder, ended, first.frames, first.hosts, [script]));
const samplesPath = join(folder, 'run.samples');
const random = drawing(13);
const batch = 50_000;
for (let from = 0; from < millions * 1e6; from += batch) {
  const numbers = (value) => Uint32Array.from({ length: batch }, (_, at) => value(from + at));
  const name = Uint16Array.from({ length: batch }, (_, at) => at % transactions.length);
  appendFileSync(
    samplesPath,
    batchBytes(
      {
        version: 1,
        count: batch,
        names: transactions.map((transaction) => ({ crew: 'c', transaction, step: transaction })),
        kinds: [],
        measured: from + batch,
        keepEvery: 1,
      },
      {
        at: numbers((at) => Math.floor((at * seconds * 10_000) / (millions * 1e6))),
        durationMicros: numbers(() => Math.round(1000 * (20 - 60 * Math.log(1 - random())))),
        firstByteMicros: numbers(() => 5000),
        bytesIn: numbers(() => 900),
        bytesOut: numbers(() => 300),
        user: numbers((at) => at % 500),
        iteration: numbers((at) => Math.floor(at / 500)),
        name,
        kind: new Uint16Array(batch),
        status: new Uint16Array(batch).fill(200),
      },
    ),
  );
}
await timedAsync('its samples as Parquet, once', () => writeParquet(samplesPath, tablePath(folder, 'samples')));
const keys = [
  { kind: 'users' },
  ...transactions.slice(0, 8).map((transaction) => ({ kind: 'time', transaction, step: null, measure: 'p95' })),
  { kind: 'host', host: 'Host 1', figure: 'processor' },
];
await timedAsync('opening a view of 10 series', async () => {
  const tables = await readRunTables(folder);
  return keys.map((key) => seriesPoints(tables, key));
});
const questions = new Questions(
  { tables: () => Promise.resolve(folder), samples: () => Promise.resolve(tablePath(folder, 'samples')) },
  { scripts: () => Promise.resolve([]) },
  new URL('../packages/server/dist/explore/question.process.js', import.meta.url),
);
const { rows, ms } = await timedAsync('a percentile for each transaction and minute, in SQL, with its process', () =>
  questions.ask([ended], { sql: exampleQuestions[0].sql, limitSeconds: 60 }),
);
say(`  ${rows.length} rows; the question itself ${(ms / 1000).toFixed(2)} s`);
rmSync(folder, { recursive: true, force: true });
say(`memory at the end: ${Math.round(process.memoryUsage().rss / 1e6)} MB`);
