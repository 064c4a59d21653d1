import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { expect, test, type Page } from '@playwright/test';
import type { Crew, Environment, ImportedProject, ListedReport, LoadCurve, ProjectSettings, Run, Script, Workload } from '@sturdy/core';
import { unzipSync } from 'fflate';
import { startPost, startYard, type Post, type Yard } from '../packages/standins/src/index.js';
import { ask, looksRight, openStage, picture, product, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
let post: Post;
/** A Yard that turns at some ten users, so that little load finds it. */
let yard: Yard;
let project: string;
let home: string;
let book: Script;

test.beforeAll(async () => {
  stage = await openStage();
  post = await startPost();
  yard = await startYard({ port: 0, workers: 4, serviceMeanMs: 30, seed: 42 });
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
    targets: [yard.origin],
    map: { ...environment.map, [recorded]: yard.origin },
  });
  const settings = await ask<ProjectSettings>('GET', `/projects/${project}/settings`);
  await ask('PUT', `/projects/${project}/settings`, {
    ...settings,
    watches: settings.watches.map((watch) => (watch.kind === 'machine' ? watch : { ...watch, url: `${yard.origin}/metrics` })),
  });
  const script = (await ask<Script[]>('GET', `/projects/${project}/scripts`)).find(({ name }) => name === 'Book intake');
  if (!script) throw new Error('The shipped project has no script “Book intake”.');
  book = script;
});
test.afterAll(async () => {
  await stage.close();
  await post.stop();
  await yard.stop();
});

const makeWorkload = (name: string, users: number, curve: LoadCurve): Promise<Workload> => {
  const crew: Crew = {
    id: 'c1',
    name: 'Clerks',
    scriptId: book.id,
    users,
    think: { kind: 'scaled', factor: 0.25, ms: 0, capMs: 2000 },
    pacing: { kind: 'none', seconds: 0 },
    onFailure: 'next-iteration',
  };
  return ask('POST', `/projects/${project}/workloads`, { name, crews: [crew], curve, criteria: [], generators: 1, seed: name });
};
/** Plays a workload to its end. */
async function play({ id }: Pick<Workload, 'id'>): Promise<Run> {
  const started = await ask<Run>('POST', `/workloads/${id}/run`);
  for (;;) {
    await new Promise((done) => setTimeout(done, 500));
    const { run } = await ask<{ run: Run }>('GET', `/runs/${started.id}`);
    if (run.endedAt !== null) return run;
  }
}
const hold = (holdSeconds: number): LoadCurve => ({ kind: 'at-once', holdSeconds, rampDownSeconds: 0, atEnd: 'iteration' });

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

test('from the brief to a verdict that arrives by mail: sized, measured alone, driven up the stairs, compared, reported, scheduled', async ({
  page,
}) => {
  test.setTimeout(480_000);
  // Brief, sizing, workload.
  await page.goto(`${home}/brief`);
  await page.getByRole('button', { name: 'Make a workload' }).click();
  await expect(page.getByLabel('Name of the workload')).toHaveValue('Acceptance of Yard 4.2');
  await expect(page.getByText('from the brief').first()).toBeVisible();

  // One user alone, then the stairs.
  const alone = await play(await makeWorkload('Alone', 1, hold(15)));
  await ask('PUT', `/runs/${alone.id}/marks`, { release: '4.1', baseline: true });
  const stairs = await play(
    await makeWorkload('Stairs', 24, { kind: 'staircase', first: 3, add: 3, everySeconds: 9, rampDownSeconds: 0, atEnd: 'iteration' }),
  );
  await page.goto(`${home}/runs/${stairs.id}`);
  await expect(page.getByText(/Service turns at about [\d.]+ users/).first()).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText('Tidewell Yard: the processor is at its limit').first()).toBeVisible();
  await expect(page.getByText(`Zero line: run ${alone.number}`)).toBeVisible();

  // The next release takes more than twice as long; which transactions, by how much, how sure.
  const peak = await makeWorkload('Peak', 6, hold(25));
  const before = await play(peak);
  await ask('PUT', `/runs/${before.id}/marks`, { release: '4.1', baseline: false });
  const { port } = new URL(yard.origin);
  await yard.stop();
  yard = await startYard({ port: Number(port), workers: 4, serviceMeanMs: 75, seed: 43 });
  const after = await play(peak);
  await ask('PUT', `/runs/${after.id}/marks`, { release: '4.2', baseline: false });
  await page.goto(`${home}/runs/compare?runs=${before.id},${after.id}`);
  const slower = page.getByText(/^[A-Z][a-z ]+ is slower by [\d.,]+ ms, \d+ % \(95 % sure: /).first();
  await expect(slower).toBeVisible({ timeout: 30_000 });
  const sentence = (await slower.innerText()).trim();

  // The same in PDF, DOCX and HTML.
  await page.goto(`${home}/runs/${after.id}/report`);
  await page.getByLabel('Set it against').selectOption(before.id);
  await expect(page.frameLocator('iframe').getByText(sentence)).toBeVisible({ timeout: 30_000 });
  await page.getByRole('button', { name: 'Issue it' }).click();
  await expect(page.getByRole('link', { name: 'PDF' }).first()).toBeVisible();
  const [report] = await ask<ListedReport[]>('GET', `/projects/${project}/reports`);
  const file = async (format: string) =>
    Buffer.from(await (await fetch(`${product}/api/reports/${report?.id ?? ''}/report.${format}`)).arrayBuffer());
  const pdf = join(stage.data, 'whole.pdf');
  writeFileSync(pdf, await file('pdf'));
  expect(spawnSync('pdftotext', ['-layout', pdf, '-'], { encoding: 'utf8' }).stdout.replace(/\s+/g, ' ')).toContain(sentence);
  const document = Buffer.from(unzipSync(await file('docx'))['word/document.xml'] ?? []).toString('utf8');
  expect(document.replace(/<[^>]+>/g, '')).toContain(sentence);
  expect((await file('html')).toString('utf8')).toContain(sentence);

  await scheduled(page);
});

/** A run is scheduled, looked at before it begins, begins by itself, and its verdict comes by mail with the report. */
async function scheduled(page: Page): Promise<void> {
  await makeWorkload('Short watch', 1, hold(5));
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
  await expect(next.getByText(`${yard.origin} answered within`)).toBeVisible();
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
  await expect(page).toHaveURL(/\/runs\/[\w-]+$/);
}
