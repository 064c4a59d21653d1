import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { expect, test, type Page } from '@playwright/test';
import type { ImportedProject, Run } from '@sturdy/core';
import { ask, looksRight, openStage, picture, product, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
/** The shipped project: scripts that replay, a baseline, a staircase, and a run before and after a release that is slower. */
let home: string;
let runs: Run[];

test.beforeAll(async () => {
  stage = await openStage();
  await ask('PUT', '/projects/p1', { name: 'Record your own', state: 'active' });
  const answer = await fetch(`${product}/api/projects/import`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/zip' },
    body: new Uint8Array(readFileSync('demo/tidewell.zip')),
  });
  const { project } = (await answer.json()) as ImportedProject;
  home = `${product}/projects/${project.id}`;
  runs = await ask<Run[]>('GET', `/projects/${project.id}/runs`);
});
test.afterAll(() => stage.close());

const runOf = (workload: RegExp): Run => {
  const found = runs.find((run) => workload.test(run.workload.name));
  if (!found) throw new Error(`There is no run of ${String(workload)}.`);
  return found;
};
const saved = (page: Page) => expect(page.getByRole('status').filter({ hasText: 'Saved' })).toBeVisible();

test('a brief is written and signed, asks again once it is changed, makes a workload, and goes out as a document', async ({ page }) => {
  await page.goto(`${home}/brief`);
  await expect(page.getByRole('img', { name: 'How the hosts are connected' })).toContainText('Yard database');
  await expect(page.getByText('Odile Marsh')).toBeVisible();
  await looksRight(page, 'brief');
  await picture(page, 'brief');
  await page.getByLabel('An hour, transaction 2').fill('3600');
  await page.getByLabel('An hour, transaction 2').blur();
  await saved(page);
  await expect(page.getByText('The brief was changed after Odile Marsh, Per Lund signed it.')).toBeVisible();
  await page.getByLabel('Who signs').fill('Odile Marsh');
  await page.getByLabel('In which role').fill('operations');
  await page.getByRole('button', { name: 'Sign it' }).click();
  await expect(page.getByText('The brief was changed after Per Lund signed it.')).toBeVisible();
  await page.getByRole('button', { name: 'As a document' }).click();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'PDF', exact: true }).click()]);
  expect(
    readFileSync(await download.path())
      .subarray(0, 5)
      .toString(),
  ).toBe('%PDF-');
  await page.getByRole('button', { name: 'Make a workload' }).click();
  await expect(page.getByLabel('Name of the workload')).toHaveValue('Acceptance of Yard 4.2');
  await expect(page.getByText('from the brief').first()).toBeVisible();
  // What was made fits; half of its users do not.
  await expect(page.getByText('iterations, about')).toBeVisible();
  await expect(page.getByText('The brief wants')).toBeHidden();
  await page.getByRole('spinbutton', { name: 'Users' }).first().fill('2');
  await page.getByRole('spinbutton', { name: 'Users' }).first().blur();
  await expect(page.getByText(/The brief wants “.*” [\d,]+ times an hour, and this workload asks for/).first()).toBeVisible();
});

test('the staircase says where service turns and which host was at its limit, and leads to the moment', async ({ page }) => {
  await page.goto(`${home}/runs/${runOf(/Staircase/).id}`);
  const findings = page.getByRole('region', { name: 'Findings' });
  await expect(findings.getByText(/Service turns at about [\d.]+ users \(95 % sure: /)).toBeVisible();
  await expect(findings.getByText(/Tidewell Yard: the processor is at its limit/)).toBeVisible();
  await expect(findings.getByText(/In production, service would turn at about/)).toBeVisible();
  await findings.getByRole('button', { name: 'Why' }).first().click();
  await expect(findings.getByText('The curve of a closed queueing model is fitted')).toBeVisible();
  await looksRight(page, 'findings');
  await page.locator('.done').evaluate((result) => {
    result.scrollTop = 500;
  });
  await picture(page, 'run');
  await findings
    .getByRole('listitem')
    .filter({ hasText: 'Tidewell Yard: the processor is at its limit' })
    .getByRole('button', { name: /\d:\d\d/ })
    .click();
  await expect(page).toHaveURL(/\?at=\d+-\d+$/);
  await expect(page.getByText(/ is marked\./)).toBeVisible();
  await expect(page.getByText(/Zero line: run \d+/)).toBeVisible();
});

test('the release is set against the one before: what became slower, by how much, how sure; the trend names it, too', async ({ page }) => {
  await page.goto(`${home}/runs`);
  for (const run of runs.filter(({ workload }) => workload.name === 'Thursday morning'))
    await page.getByLabel(`Compare run ${run.number}`).check();
  await page.getByRole('button', { name: 'Compare 2 runs' }).click();
  await expect(page.getByText(/Run \d+ \(4\.2\) against run \d+ \(4\.1\): \d of \d+ transactions are slower/)).toBeVisible();
  await expect(page.getByText(/Book intake is slower by [\d.,]+ ms, \d+ % \(95 % sure: /)).toBeVisible();
  await expect(page.getByText('The release was “4.2” instead of “4.1”.')).toBeVisible();
  await looksRight(page, 'runs side by side');
  await picture(page, 'compare');
  await page.goto(`${home}/workloads/${runOf(/Thursday/).workload.id}/trend`);
  await expect(page.getByText(/Book intake: run \d+ \(4\.2\) is the first that is worse than chance/)).toBeVisible();
  await looksRight(page, 'trend');
});

test('a report holds what the screen said, is issued, and can be read in other programs', async ({ page }) => {
  const slower = runs.find(({ release }) => release === '4.2');
  const before = runs.find(({ release, workload }) => release === '4.1' && workload.name === 'Thursday morning');
  if (!slower || !before) throw new Error('The shipped project lacks a release.');
  await page.goto(`${home}/runs/${slower.id}`);
  await page.getByRole('link', { name: 'Report' }).click();
  await page.getByLabel('Set it against').selectOption(before.id);
  const preview = page.frameLocator('iframe');
  await expect(preview.getByText(/Book intake is slower by/)).toBeVisible();
  await expect(preview.getByRole('heading', { name: 'Course of the run' })).toBeVisible();
  const missed = await preview
    .getByText(/misses the limit of/)
    .first()
    .innerText();
  await looksRight(page, 'report');
  await picture(page, 'report');
  await page.getByRole('button', { name: 'Issue it' }).click();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'PDF' }).first().click()]);
  const file = join(stage.data, 'report.pdf');
  writeFileSync(file, readFileSync(await download.path()));
  const { stdout, status } = spawnSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' });
  expect(status).toBe(0);
  const text = stdout.replace(/\s+/g, ' ');
  expect(text).toContain(missed);
  expect(text).toMatch(/Book intake is slower by/);
  expect(text).toContain('Odile Marsh');
});

test('any series is drawn into a lane, a view is kept, a second leads to its samples, and a question in SQL is answered', async ({
  page,
}) => {
  const staircase = runOf(/Staircase/);
  await page.goto(`${home}/runs/${staircase.id}`);
  await page.getByRole('link', { name: 'Explore' }).click();
  await page.getByRole('button', { name: 'Lane 2', exact: true }).click();
  await page.getByRole('button', { name: /Book intake, p95/ }).click();
  await page.getByLabel('Find a series').fill('processor');
  await page.getByRole('button', { name: 'Lane 3', exact: true }).click();
  await page
    .getByRole('button', { name: /processor/ })
    .first()
    .click();
  await page.getByLabel('Find a series').fill('');
  const lane = page.getByRole('region', { name: 'Lane 2' });
  await expect(lane.getByText('Book intake, p95')).toBeVisible();
  await page.getByRole('button', { name: 'Keep as a new view' }).click();
  await page.getByLabel('Name of the view').fill('Book intake and the processor');
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page).toHaveURL(/view=v1/);
  await lane.locator('app-lane-chart').hover();
  await expect(lane.getByText(/ ms$/).first()).toBeVisible();
  await looksRight(page, 'lanes');
  await picture(page, 'explore');
  // A link leads to the very same picture.
  await page.reload();
  await expect(lane.getByText('Book intake, p95')).toBeVisible();
  await lane.locator('app-lane-chart').click();
  const samples = page.getByRole('region', { name: 'Samples of the chosen second' });
  await expect(samples.getByText(/^\d[\d,]* samples, /)).toBeVisible();
  const box = await lane.locator('app-lane-chart').boundingBox();
  if (!box) throw new Error('The lane has no box.');
  await page.mouse.move(box.x + box.width / 2, box.y + 40);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 + 80, box.y + 40);
  await page.mouse.up();
  await expect(page).toHaveURL(/at=\d+-\d+/);
  await page.getByRole('button', { name: 'Questions in SQL' }).click();
  await page.getByRole('button', { name: 'Ask', exact: true }).click();
  const answer = page.getByRole('region', { name: 'Answer' });
  await expect(answer.getByRole('cell', { name: 'Book intake' }).first()).toBeVisible({ timeout: 30_000 });
  await looksRight(page, 'questions');
  await page.getByRole('textbox', { name: 'The question in SQL' }).fill("SELECT * FROM read_text('/etc/passwd')");
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText('questions see the tables of the chosen runs and nothing else');
});
