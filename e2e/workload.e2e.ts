import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import type { HostSeries, LoadCurve, RunFile, Script, Workload } from '@sturdy/core';
import { strFromU8, unzipSync } from 'fflate';
import { ask, looksRight, openStage, picture, product, upload, type Stage } from './stage.js';

let stage: Stage;
let workload: Workload;

test.beforeAll(async () => {
  stage = await openStage();
  const entry = (path: string, at: number) => ({
    startedDateTime: new Date(Date.UTC(2026, 0, 1, 0, 0, at)).toISOString(),
    time: 30,
    request: { method: 'GET', url: stage.yard.origin + path, httpVersion: 'HTTP/1.1', headers: [], queryString: [], cookies: [], headersSize: -1, bodySize: 0 }, // prettier-ignore
    response: { status: 200, statusText: 'OK', httpVersion: 'HTTP/1.1', headers: [{ name: 'Content-Type', value: 'text/html' }], cookies: [], content: { size: 2, mimeType: 'text/html', text: 'ok' }, redirectURL: '', headersSize: -1, bodySize: 2 }, // prettier-ignore
    cache: {},
    timings: { send: 0, wait: 30, receive: 0 },
  });
  const har = { log: { version: '1.2', creator: { name: 'a browser', version: '1' }, entries: [entry('/', 0), entry('/goodbye', 1)] } };
  await upload('/projects/p1/takes/import?name=Visit', JSON.stringify(har));
  const [take] = await ask<{ id: string }[]>('GET', '/projects/p1/takes');
  const script = await ask<Script>('POST', `/takes/${take?.id ?? ''}/script`, { name: 'Visit' });
  const crew = (id: string, name: string, users: number) => ({
    id,
    name,
    scriptId: script.id,
    users,
    think: { kind: 'none', factor: 1, ms: 0, capMs: 1000 },
    pacing: { kind: 'start-to-start', seconds: 2 },
    onFailure: 'next-iteration',
  });
  workload = await ask<Workload>('POST', '/projects/p1/workloads', {
    name: 'Thursday',
    crews: [crew('c1', 'Visit', 14), crew('c2', 'Visit again', 6)],
    curve: { kind: 'ramp', rampUpSeconds: 2, holdSeconds: 6, rampDownSeconds: 1, atEnd: 'iteration' },
    criteria: [{ id: 'k1', measure: 'error-rate', transaction: null, limit: 1 }],
    generators: 1,
    seed: '1',
  });
});
test.afterAll(() => stage.close());

const saved = async (): Promise<Workload> => {
  // Changes are saved a moment after the last one.
  await new Promise((done) => setTimeout(done, 600));
  return ask<Workload>('GET', `/workloads/${workload.id}`);
};
/** Where a moment and a number of users stand on the page, reckoned from the dots of the curve, whose places the chart tells. */
const placeOf = async (page: Page, { seconds, users }: { seconds: number; users: number }) => {
  const chart = page.locator('app-curve-card [data-handles]');
  const box = await chart.boundingBox();
  const [start, top] = JSON.parse((await chart.getAttribute('data-handles')) ?? '[]') as { x: number; y: number }[];
  if (!box || !start || !top) throw new Error('no chart');
  // The first dot is 0 users at 0 s, the second one 20 users at 2 s.
  return { x: box.x + start.x + (seconds / 2) * (top.x - start.x), y: box.y + start.y + (users / 20) * (top.y - start.y) };
};

test('a curve is drawn by dragging, by a double click and by a table, and the forecast follows', async ({ page }) => {
  await page.goto(`${product}/workloads/${workload.id}`);
  await expect(page.getByText('Nothing prevents a run.')).toBeVisible();
  await page.getByRole('button', { name: 'Drawn' }).click();
  await expect(page.getByRole('table', { name: 'Points of the curve' }).getByRole('row')).toHaveCount(5);
  const iterations = page.locator('.facts .big').nth(2);
  const before = await iterations.textContent();
  // The third point is the end of the plateau.
  const from = await placeOf(page, { seconds: 8, users: 20 });
  const to = await placeOf(page, { seconds: 8, users: 10 });
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x, (from.y + to.y) / 2, { steps: 4 });
  await expect(iterations).not.toHaveText(before ?? '');
  await page.mouse.move(to.x, to.y, { steps: 4 });
  await page.mouse.up();
  const drawn = (await saved()).curve as Extract<LoadCurve, { kind: 'drawn' }>;
  expect(drawn.points[2]?.seconds).toBe(8);
  expect(Math.abs((drawn.points[2]?.percent ?? 0) - 50)).toBeLessThanOrEqual(3);
  const new1 = await placeOf(page, { seconds: 4, users: 15 });
  await page.mouse.dblclick(new1.x, new1.y);
  await expect(page.getByRole('table', { name: 'Points of the curve' }).getByRole('row')).toHaveCount(6);
  await page.getByLabel('Per cent of point 3').fill('40');
  await page.getByLabel('Per cent of point 3').blur();
  expect(((await saved()).curve as typeof drawn).points[2]?.percent).toBe(40);
  await looksRight(page, 'drawn curve');
});

test('arrivals, shares, a slower line, stop rules and criteria of the project', async ({ page }) => {
  await ask('PUT', '/projects/p1/settings', {
    failureSigns: [],
    criteria: [{ id: 'k1', measure: 'p95', transaction: null, limit: 5000 }],
  });
  await page.goto(`${product}/workloads/${workload.id}`);
  await page.getByRole('button', { name: 'Arrivals' }).click();
  await expect(page.getByLabel('Starts an hour').first()).toHaveValue('25200');
  await page.getByLabel('They come').selectOption('poisson');
  await page.getByRole('button', { name: 'Ramp', exact: true }).click();
  await page.getByLabel('users by shares').check();
  await expect(page.getByLabel('Share, %').first()).toHaveValue('70');
  await page.getByLabel('Users in all').fill('10');
  await page.getByLabel('Users in all').blur();
  await expect(page.getByText('7 users · pauses none')).toBeVisible();
  await page.getByRole('button', { name: 'More' }).first().click();
  await page.getByLabel('Latency, ms').fill('40');
  await page.getByLabel('Latency, ms').blur();
  await page.getByLabel('Cache').selectOption('warm');
  await page.getByRole('button', { name: 'Add a stop rule' }).click();
  await expect(page.getByText('p95 of all transactions: 5000 ms at most')).toBeVisible();
  await page.getByRole('button', { name: 'Set another limit here' }).click();
  await expect(page.getByText('from the project')).toBeHidden();
  await looksRight(page, 'workload with everything');
  expect(await saved()).toMatchObject({
    crews: [
      { users: 7, line: { latencyMs: 40 }, browser: { cache: 'warm' } },
      { users: 3, sharePercent: 30 },
    ],
    stopRules: [{ measure: 'error-rate', forSeconds: 10 }],
    criteria: [{ measure: 'error-rate' }, { measure: 'p95', limit: 5000 }],
  });
});

test('versions are had back, a copy is laid beside it, and the command line plays its files', async ({ page }) => {
  await page.goto(`${product}/workloads/${workload.id}`);
  await page.getByRole('button', { name: 'Duplicate' }).click();
  await expect(page.getByLabel('Name of the workload')).toHaveValue('Thursday, copy');
  await page.goto(`${product}/workloads/${workload.id}/versions`);
  await expect(page.getByRole('list', { name: 'Versions' }).getByRole('listitem').first()).toContainText('stop rule added');
  await page.getByLabel('Beside').selectOption({ label: 'workload Thursday, copy' });
  await expect(page.locator('.cm-changedLine').first()).toContainText('name');
  await looksRight(page, 'versions of a workload');
  await page.getByRole('listitem').filter({ hasText: 'version 1' }).getByRole('button').click();
  await page.getByRole('button', { name: 'Have version 1 back' }).click();
  await expect(page.getByRole('list', { name: 'Versions' }).getByRole('listitem').first()).toContainText('Back to version 1');
  expect((await saved()).crews.map((crew) => crew.users)).toEqual([14, 6]);

  const folder = mkdtempSync(join(tmpdir(), 'sturdy-files-'));
  const zip = await fetch(`${product}/api/workloads/${workload.id}/files.zip`);
  mkdirSync(join(folder, 'schemas'));
  for (const [name, bytes] of Object.entries(unzipSync(new Uint8Array(await zip.arrayBuffer()))))
    writeFileSync(join(folder, name), strFromU8(bytes));
  const { status, error } = await sturdy(['run', join(folder, 'workload.yaml'), '--out', join(folder, 'out')]);
  const report = JSON.parse(readFileSync(join(folder, 'out/result.json'), 'utf8')) as RunFile;
  expect([error, report.result.iterationsFailed]).toEqual(['', 0]);
  expect(status).toBe({ held: 0, 'not held': 1, 'not to be trusted': 3 }[report.outcome]);
  // Twenty users begin every two seconds within the hold of six, and before.
  expect(report.result.iterationsPassed).toBeGreaterThanOrEqual(55);
  rmSync(folder, { recursive: true, force: true });
});

test('a host is watched, its figures stand in the lanes of a run, and the run is steered while it lasts', async ({ page }) => {
  await page.goto(`${product}/hosts`);
  await expect(page.getByRole('region', { name: 'This machine' }).getByRole('img', { name: 'passed' })).toBeVisible();
  await page.getByRole('button', { name: 'Watch a host' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Yard');
  await page.getByRole('button', { name: 'Ask it' }).click();
  await page.getByLabel('Name of yard_run_queue_requests').fill('waiting requests');
  await looksRight(page, 'watch dialog');
  await page.getByRole('button', { name: 'Watch it' }).click();
  const yard = page.getByRole('region', { name: 'Yard' });
  await expect(yard.getByRole('row', { name: /waiting requests 0.00 requests/ })).toBeVisible();
  await expect(yard.getByRole('img', { name: 'passed' })).toBeVisible();
  await looksRight(page, 'hosts');
  await picture(page, 'hosts');

  const longer = { ...workload, curve: { kind: 'ramp', rampUpSeconds: 1, holdSeconds: 40, rampDownSeconds: 1, atEnd: 'iteration' } };
  await ask('PUT', `/workloads/${workload.id}`, longer);
  const run = await ask<{ id: string }>('POST', `/workloads/${workload.id}/run`);
  await page.goto(`${product}/runs/${run.id}`);
  await expect(page.locator('.cells .cell')).toHaveCount(20);
  await page.getByLabel('Visit again').fill('9');
  await page.getByLabel('Visit again').blur();
  await expect(page.locator('.cells .cell')).toHaveCount(23);
  await page.getByRole('button', { name: 'Pause' }).click();
  await expect(page.getByText('paused', { exact: false }).first()).toBeVisible();
  await page.getByRole('button', { name: 'Go on' }).click();
  await page.getByPlaceholder(/What just happened/).fill('cache emptied');
  await page.getByRole('button', { name: 'Put it' }).click();
  await expect(page.getByRole('list', { name: 'What happened' }).getByRole('listitem')).toHaveText([
    /Visit again: 6 → 9 users/,
    /paused/,
    /went on/,
    /cache emptied/,
  ]);
  await page.locator('.cells .cell').first().click();
  await expect(page.getByRole('list', { name: 'What user 1 did last' }).getByRole('listitem').first()).toContainText(/200 \d+ ms/);
  await page.getByRole('button', { name: 'Capture it in full' }).click();
  await expect(page.getByText('user 1 is captured in full')).toBeVisible();
  await expect(page.getByText('Captured in full from here on')).toBeVisible();
  await looksRight(page, 'run room with changes');
  await page.getByText(/Host figures: 3 of \d+ have a lane/).click();
  // The generators themselves are always watched.
  await expect(page.getByRole('button', { name: 'Generator 1: at work' })).toHaveAttribute('aria-pressed', 'true');
  await page.getByRole('button', { name: 'Yard: waiting requests' }).click();
  await expect(page.getByText(/Host figures: 4 of \d+ have a lane/)).toBeVisible();
  // Before the run ends its user has to play once more.
  await expect.poll(async () => (await ask<unknown[]>('GET', `/runs/${run.id}/captured`)).length).toBeGreaterThan(0);
  // By key, as who watches a run for an hour would: the hold is long enough.
  await page.keyboard.press('n');
  await expect(page.getByText('hold cut short, ramp-down begins').first()).toBeVisible();
  await expect(page.getByText(/All criteria held|criteria missed/)).toBeVisible({ timeout: 60_000 });
  await looksRight(page, 'run with hosts');
  await page.getByRole('button', { name: 'by user' }).click();
  const first = page.getByRole('table', { name: 'Users' }).getByRole('row').nth(1);
  await first.getByRole('button', { name: 'Its samples' }).click();
  const requests = page.getByRole('table', { name: 'Requests' });
  const users = requests.locator('tbody tr td:nth-child(2)');
  // The first row may be one of this user before the others are gone.
  await expect.poll(async () => [...new Set(await users.allInnerTexts())]).toEqual(['1']);
  const kept = await ask<{ kept: number; measured: number; total: number }>('GET', `/runs/${run.id}/samples`);
  expect([kept.kept, kept.total]).toEqual([kept.measured, kept.measured]);
  await page.getByLabel('Outcome').selectOption('failed');
  await expect(page.getByText('No request matches.')).toBeVisible();
  await page.getByRole('button', { name: 'Show all again' }).click();
  const shown = page.getByRole('region', { name: 'Captured exchanges' });
  await shown.getByRole('button', { name: 'Show' }).first().click();
  await expect(shown.getByText(/Sent by user 1: GET http/)).toBeVisible();
  const series = await ask<HostSeries[]>('GET', `/runs/${run.id}/hosts`);
  const served =
    series
      .find((hostSeries) => hostSeries.host === 'Yard' && hostSeries.name === 'requests served')
      ?.points.map(([, value]) => value ?? 0) ?? [];
  // Twenty users play two requests every two seconds.
  expect(Math.max(...served)).toBeGreaterThan(12);
  await page.getByRole('button', { name: 'by crew' }).click();
  await expect(page.getByRole('rowheader', { name: 'Visit again' })).toBeVisible();
  await expect(page.getByText('The load was changed by hand 3 times')).toBeVisible();
  const csv = await (await fetch(`${product}/api/runs/${run.id}/result.csv`)).text();
  expect(csv.split('\r\n')[0]).toMatch(/^transaction,step,count/);
});

/** Runs the command line beside this process, so that Yard in it can answer. */
function sturdy(args: string[]): Promise<{ status: number | null; error: string }> {
  return new Promise((done) => {
    const child = spawn(process.execPath, ['packages/cli/bin/sturdy.mjs', ...args]);
    let error = '';
    child.stdout.resume();
    child.stderr.on('data', (piece: Buffer) => (error += piece.toString()));
    child.on('close', (status) => {
      done({ status, error });
    });
  });
}
