import { expect, test } from '@playwright/test';
import type { Run, RunResult, Script, Workload } from '@sturdy/core';
import { ask, container, looksRight, openStage, product, recordTakes, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
let takes: string[];
test.beforeAll(async () => {
  stage = await openStage();
  takes = await recordTakes(
    stage,
    [0, 1].map((index) => ({
      transactions: ['sign-in', 'book-intake', 'inspect-load', 'sign-out'],
      container: container(810_000 + index),
    })),
    true,
  );
});
test.afterAll(() => stage.close());

test('a conversation over a WebSocket is recorded, handed on from message to message, and played by five users', async ({ page }) => {
  await page.goto(`${product}/takes/${takes[0] ?? ''}`);
  await page.getByRole('tab', { name: /Tidy/ }).click();
  // Temperatures that nobody asked for are not waited for.
  await expect(page.getByText(/came over a WebSocket unasked, and nothing of (it|them) is sent later/)).toBeVisible();
  await page.getByRole('button', { name: 'Make a script' }).click();
  await page.getByRole('button', { name: 'Correlate' }).click();
  await page.getByRole('button', { name: 'with Take 2 as second take' }).click();
  await expect(page.getByText('Correlated.')).toBeVisible({ timeout: 30_000 });
  await page.getByRole('button', { name: 'Rehearse and repair' }).click();
  await page.getByRole('button', { name: 'Start the rounds' }).click();
  await expect(page.getByText(/Round \d: passed\./)).toBeVisible({ timeout: 60_000 });

  const message = page.locator('.spine.action', { hasText: 'SEND' }).filter({ hasText: 'claim /inspection/line' });
  await message.locator('.step').click();
  await expect(page.getByText(/Sends a message over the WebSocket “line”, which step \d+ opens\./)).toBeVisible();
  await expect(page.getByText('the value at /id is the one that was sent there')).toBeVisible();
  await looksRight(page, 'message step');
  await page.getByLabel('Wait at most, s').fill('4');
  await page.getByLabel('Wait at most, s').blur();
  await page.getByRole('button', { name: 'Text', exact: true }).click();
  await expect(page.getByText('atMostMs: 4000')).toBeVisible();

  const [script] = await ask<Script[]>('GET', '/projects/p1/scripts');
  const workload = await ask<Workload>('POST', '/projects/p1/workloads', {
    name: 'Inspections',
    generators: 2,
    seed: '1',
    criteria: [],
    crews: [
      {
        id: 'c1',
        name: 'Inspectors',
        scriptId: script?.id,
        users: 5,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing: { kind: 'start-to-start', seconds: 2 },
        onFailure: 'next-iteration',
      },
    ],
    curve: { rampUpSeconds: 0, holdSeconds: 6, rampDownSeconds: 0, atEnd: 'iteration' },
  });
  const before = stage.yard.truth().inspectedCount;
  const run = await ask<Run>('POST', `/workloads/${workload.id}/run`);
  const result = () => ask<RunResult>('GET', `/runs/${run.id}`);
  await expect.poll(async () => (await result()).run.state, { timeout: 30_000 }).toBe('done');
  const { iterationsPassed, iterationsFailed } = await result();
  expect(iterationsFailed).toBe(0);
  // Five users begin every two seconds within six.
  expect(iterationsPassed).toBe(15);
  // What the application itself knows: one load for each iteration.
  expect(stage.yard.truth().inspectedCount - before).toBe(iterationsPassed);
});
