// Five million samples of a run: kept, opened and narrowed. Seeded.
import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { querySamples, SampleBook, usersOf } from '../packages/core/dist/index.js';
import { readSamples, SampleFiles } from '../packages/server/dist/samples/sample-files.js';

const random = createRequire(new URL('../packages/engine/dist/index.js', import.meta.url))('seedrandom')('samples');
const seconds = 1000;
const perSecond = 5000;
const folder = mkdtempSync(join(tmpdir(), 'sturdy-samples-'));
const files = new SampleFiles(folder);
const timed = async (work) => {
  const started = performance.now();
  const result = await work();
  return [result, performance.now() - started];
};

let busiest = 0;
for (let second = 0; second < seconds; second++) {
  const book = new SampleBook();
  for (let n = 0; n < perSecond; n++)
    book.add({
      crew: `c${n % 3}`,
      transaction: `T${n % 6}`,
      step: `s${n % 24}`,
      atMs: second * 1000 + (n * 1000) / perSecond,
      durationMs: -40 * Math.log(1 - random()),
      firstByteMs: 5,
      bytesIn: 4000,
      bytesOut: 600,
      user: 1 + (n % 500),
      iteration: 1 + Math.floor(second / 10),
      status: 200,
      failure: n % 997 === 0 ? 'It answered 500.' : null,
    });
  const batch = book.take();
  const [, ms] = await timed(() => files.keep('r', batch, console.error));
  busiest = Math.max(busiest, ms);
  // The conductor has other things to do between two seconds.
  if (second % 20 === 0) await new Promise((done) => setTimeout(done, 5));
}
await files.end('r');
const path = files.path('r');
const [{ table, kept }, openMs] = await timed(() => readSamples(path));
const lines = [
  `${kept.kept.toLocaleString('en')} samples of ${kept.measured.toLocaleString('en')} measured, ${(statSync(path).size / 1e6).toFixed(0)} MB`,
  `a second of ${perSecond} samples is taken in ${busiest.toFixed(1)} ms at worst`,
  `opened in ${openMs.toFixed(0)} ms`,
];
for (const [name, query] of [
  ['all', {}],
  ['failed ones', { failed: 'yes' }],
  ['one user, slowest first', { user: 7, order: 'slowest' }],
  ['above 100 ms within a minute, slowest first', { atLeastMs: 100, fromSecond: 300, toSecond: 360, order: 'slowest' }],
  ['one transaction, slowest first', { transaction: 'T3', order: 'slowest' }],
  ['all, slowest first', { order: 'slowest' }],
]) {
  const [page, ms] = await timed(() => querySamples(table, { order: 'time', page: 0, ...query }));
  lines.push(`${name}: ${page.total.toLocaleString('en')} found in ${ms.toFixed(0)} ms`);
}
const [, usersMs] = await timed(() => usersOf(table, { order: 'time', page: 0 }));
lines.push(`by user in ${usersMs.toFixed(0)} ms`);
process.stdout.write(`Samples of a run\n${lines.map((line) => `  ${line}\n`).join('')}`);
rmSync(folder, { recursive: true, force: true });
