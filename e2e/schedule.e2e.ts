import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import type { Environment, ImportedProject, Workload } from '@sturdy/core';
import { startPost, type Post } from '../packages/standins/src/index.js';
import { ask, looksRight, openStage, picture, product, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
let post: Post;
let project: string;
let home: string;

test.beforeAll(async () => {
  stage = await openStage();
  post = await startPost();
  await ask('PUT', '/projects/p1', { name: 'Record your own', state: 'active' });
  const answer = await fetch(`${product}/api/projects/import`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/zip' },
    body: new Uint8Array(readFileSync('demo/tidewell.zip')),
  });
  project = ((await answer.json()) as ImportedProject).project.id;
  home = `${product}/projects/${project}`;
  // The Yard of this test answers in place of the one that was recorded.
  const [environment] = await ask<Environment[]>('GET', `/projects/${project}/environments`);
  if (!environment) throw new Error('The shipped project has no environment.');
  const [recorded = ''] = environment.targets;
  await ask('PUT', `/projects/${project}/environments/${environment.id}`, {
    ...environment,
    targets: [stage.yard.origin],
    map: { ...environment.map, [recorded]: stage.yard.origin },
  });
  const [planned] = await ask<Workload[]>('GET', `/projects/${project}/workloads`);
  if (!planned) throw new Error('The shipped project has no workload.');
  await ask('PUT', `/workloads/${planned.id}`, {
    ...planned,
    name: 'Short watch',
    curve: { kind: 'at-once', holdSeconds: 5, rampDownSeconds: 0, atEnd: 'iteration' },
    crews: planned.crews.map((crew) => ({ ...crew, users: 1, think: { kind: 'none', factor: 1, ms: 0, capMs: 0 } })),
  });
});
test.afterAll(async () => {
  await stage.close();
  await post.stop();
});

test('recipients are named, a trial arrives at them, and what is wrong is said', async ({ page }) => {
  await page.goto(`${home}/notice`);
  await page.getByRole('button', { name: 'Name a mail server' }).click();
  await page.getByLabel('Host').fill('127.0.0.1');
  await page.getByLabel('Secured by').selectOption('none');
  await page.getByLabel('Port').fill(String(post.smtpPort));
  await page.getByLabel('Sender').fill('sturdy@tidewell.example');
  await page.getByRole('button', { name: 'Add a group' }).click();
  await page.getByLabel('Mail to').fill('mara@tidewell.example\nnobody');
  await page.getByLabel('Mail to').blur();
  await expect(page.getByRole('alert')).toContainText('Write an address such as mara@example.com.');
  await page.getByLabel('Mail to').fill('mara@tidewell.example');
  await page.getByLabel('Mail to').blur();
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('button', { name: 'Send a trial' }).click();
  await expect(page.getByText('mara@tidewell.example: the trial was taken.')).toBeVisible();
  expect(post.messages().map(({ to, subject }) => [to, subject])).toEqual([[['mara@tidewell.example'], 'This is how you will be told']]);
  await looksRight(page, 'notice');
});

test('a run is scheduled, looked at before it begins, begins by itself, and its verdict comes by mail with the report', async ({
  page,
}) => {
  test.setTimeout(240_000);
  await page.goto(`${home}/schedule`);
  await page.getByRole('button', { name: 'New schedule' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Workload').selectOption({ label: 'Short watch' });
  // The minute after the next one; there is one before it to look in.
  const start = new Date(Math.ceil(Date.now() / 60_000) * 60_000 + 60_000);
  const [day = '', clock = ''] = start.toISOString().split('T');
  await dialog.getByLabel('Time zone').fill('UTC');
  await dialog.getByLabel('Time zone').blur();
  await dialog.getByLabel('Day', { exact: true }).fill(day);
  await dialog.getByLabel('At', { exact: true }).fill(clock.slice(0, 5));
  await dialog.getByLabel('At', { exact: true }).blur();
  await expect(dialog.getByText(`, ${clock.slice(0, 5)} (UTC)`)).toBeVisible();
  await dialog.getByRole('button', { name: 'Schedule it' }).click();
  const next = page.getByRole('region', { name: 'The next run' });
  await expect(next.getByText('It can begin.')).toBeVisible({ timeout: 60_000 });
  await expect(next.getByText(`${stage.yard.origin} answered within`)).toBeVisible();
  await expect(next.getByText('“Book intake” passes')).toBeVisible();
  await looksRight(page, 'schedule');
  await picture(page, 'schedule');
  await expect.poll(() => post.messages().at(-1)?.subject, { timeout: 180_000 }).toMatch(/^Run \d+ of “Short watch”: /);
  const mail = post.messages().at(-1);
  expect(mail?.attachments.map(({ name, bytes }) => [name.replace(/\d+/, 'N'), bytes.subarray(0, 5).toString()])).toEqual([
    ['run-N-report.pdf', '%PDF-'],
  ]);
  const came = page.getByRole('region', { name: 'What has come' });
  await expect(came.getByText('ended', { exact: true })).toBeVisible({ timeout: 15_000 });
  await came.getByRole('link', { name: 'Open the run' }).click();
  await expect(page.getByText(/Run \d+/).first()).toBeVisible();
});
