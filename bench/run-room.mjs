/* global window, requestAnimationFrame, cancelAnimationFrame */
// How smoothly the run room moves: an hour of one-second points with 30 lines in its lanes, and 2,000 users in its cells.
// Bounded by its curve; needs Debian's Chromium.
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { Tally } from '../packages/core/dist/index.js';
import { emptyDatabaseFolder, migrationsFolder } from '../packages/server/dist/shipped/files.js';
import { openDatabase } from '../packages/server/dist/store/open-database.js';
import { DamageList } from '../packages/server/dist/store/damage-list.js';
import { Repository } from '../packages/server/dist/store/repository.js';
import { openKeys, SecretBox } from '../packages/server/dist/store/secret-box.js';
import { quietChromium } from '../packages/standins/dist/index.js';
import { asking, serve, workloadOf } from './product.mjs';

const seconds = 3600;
const hosts = 2;
const figuresEach = 13;
const port = 4480;
const target = createServer((_request, response) => response.end('<title>ok</title>')).listen(0, '127.0.0.1');
await new Promise((ready) => target.once('listening', ready));
const origin = `http://127.0.0.1:${target.address().port}`;
const data = mkdtempSync(join(tmpdir(), 'sturdy-room-'));

const ask = asking(port);
// A project with a script and a workload of 2,000 users.
let server = await serve(port, data, origin);
const workload = await workloadOf(ask, origin, ['/'], { users: 2000, everySeconds: 20, curve: { rampUpSeconds: 10, holdSeconds: 35 } });
await server.stop();

// An hour that was run: frames and figures of hosts as a run leaves them.
const { database, close } = await openDatabase({ directory: data }, { migrations: migrationsFolder, emptyDatabase: emptyDatabaseFolder });
const repository = new Repository(database, new DamageList(), new SecretBox(openKeys(join(data, 'secrets'))));
const shown = Array.from({ length: figuresEach }, (_, at) => ({
  id: `f${at}`,
  metric: `m${at}`,
  labels: {},
  name: `figure ${at + 1}`,
  unit: '%',
  as: 'value',
  scale: 1,
}));
const watches = Array.from({ length: hosts }, (_, at) => ({
  id: `h${at}`,
  name: `host ${at + 1}`,
  kind: 'open-metrics',
  url: 'http://127.0.0.1:9/metrics',
  everySeconds: 1,
  shown,
}));
await repository.saveRun({
  id: 'hour',
  projectId: 'p1',
  number: 1,
  workload: { ...workload, curve: { ...workload.curve, kind: 'ramp', together: 1, holdSeconds: seconds - 10 } },
  environmentId: 'e1',
  state: 'done',
  startedAt: new Date(Date.now() - seconds * 1000).toISOString(),
  endedAt: new Date().toISOString(),
  note: null,
  verdict: 'none',
  watches,
});
const wave = (second, at) => 50 + 40 * Math.sin(second / (40 + 7 * at)) + (((second * 7919 + at * 104_729) % 100) - 50) / 10;
for (let from = 0; from < seconds; from += 200) {
  const own = Array.from({ length: 200 }, (_, index) => from + index);
  await repository.saveFrames(
    'hour',
    own.map((second) => {
      const tally = new Tally();
      for (let n = 0; n < 40; n++) tally.add(Math.max(1, wave(second, n)), n % 39 !== 0);
      return {
        version: 1,
        generator: 0,
        second,
        activeUsers: 2000,
        iterationsPassed: 39,
        iterationsFailed: 1,
        items: [{ crew: 'c1', transaction: 'Page', step: null, tally: tally.toData() }],
        failures: [],
        users: [],
        missedArrivals: 0,
        loopDelayMs: 5,
        latenessMs: 1,
      };
    }),
  );
  for (const watch of watches)
    await repository.saveHostPoints(
      'hour',
      own.map((second) => ({
        watch: watch.id,
        second,
        values: Object.fromEntries(shown.map(({ id }, at) => [id, wave(second, at)])),
        problem: null,
      })),
    );
}
await close();

server = await serve(port, data, origin);
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: quietChromium });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });

/** Frames that the page draws while something is done to it: how many a second, and the longest gap between two. */
async function frames(what, act, ms = 5000) {
  await page.evaluate(() => {
    window.drawn = [];
    const next = (at) => {
      window.drawn.push(at);
      window.going = requestAnimationFrame(next);
    };
    window.going = requestAnimationFrame(next);
  });
  const ends = performance.now() + ms;
  for (let n = 0; performance.now() < ends; n++) await act(n);
  const drawn = await page.evaluate(() => {
    cancelAnimationFrame(window.going);
    return window.drawn;
  });
  const gaps = drawn.slice(1).map((at, index) => at - drawn[index]);
  const sorted = [...gaps].sort((left, right) => left - right);
  const at = (share) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? 0;
  const perSecond = (1000 * gaps.length) / gaps.reduce((sum, one) => sum + one, 0);
  process.stdout.write(
    `  ${what.padEnd(52)} ${perSecond.toFixed(0).padStart(3)} frames a second, median ${at(0.5).toFixed(1)} ms, p95 ${at(0.95).toFixed(1)} ms, longest ${at(1).toFixed(0)} ms\n`,
  );
}

process.stdout.write(`The run room in Chromium without a graphics card, 1280 × 800\n`);
await page.goto(`http://127.0.0.1:${port}/runs/hour`);
await page.waitForSelector('canvas');
await page.getByText(/Host figures: .* have a lane/).click();
while ((await page.locator('button[aria-pressed=false]', { hasText: /^host \d: figure/ }).count()) > 0)
  await page
    .locator('button[aria-pressed=false]', { hasText: /^host \d: figure/ })
    .first()
    .click();
await page.waitForTimeout(2000);
const lanes = page.locator('canvas').first();
await lanes.scrollIntoViewIfNeeded();
const box = await lanes.boundingBox();
await frames('idle', () => page.waitForTimeout(200));
await frames(`an hour, ${4 + hosts * figuresEach} lines: the cursor moves over the lanes`, (n) =>
  page.mouse.move(box.x + 80 + ((n * 13) % (box.width - 120)), box.y + 60 + (n % 40)),
);
await frames('the same: the page is scrolled', async (n) => {
  await page.mouse.wheel(0, n % 20 < 10 ? 120 : -120);
  await page.waitForTimeout(30);
});

const run = await ask('POST', `/workloads/${workload.id}/run`);
await page.goto(`http://127.0.0.1:${port}/runs/${run.id}`);
await page.waitForTimeout(15_000);
const cells = await page.locator('.cells .cell').count();
await frames(`live, ${cells.toLocaleString('en')} cells of users, a second each second`, () => page.waitForTimeout(200), 10_000);
await frames('the same while the page is scrolled', async (n) => {
  await page.mouse.wheel(0, n % 10 < 5 ? 120 : -120);
  await page.waitForTimeout(30);
});
await browser.close();
await server.stop();
target.close();
rmSync(data, { recursive: true, force: true });
