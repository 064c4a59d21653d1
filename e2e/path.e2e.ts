import { expect, test } from '@playwright/test';
import type { Script, Workload } from '@sturdy/core';
import { ask, container, looksRight, openStage, product, recordTakes, type Stage } from './stage.js';

let stage: Stage;
test.beforeAll(async () => {
  stage = await openStage();
});
test.afterAll(() => stage.close());

test('a first visit is led through the real screens, from a take that fails to a run; the path can be left and taken up again', async ({
  page,
}) => {
  const path = page.getByRole('region', { name: 'Path of a first visit' });
  const here = path.locator('[aria-current=step]');
  await recordTakes(
    stage,
    [1, 2].map((n) => ({ transactions: ['sign-in', 'sign-out'], container: container(900 + n) })),
    false,
  );

  await test.step('it is offered on the board, and leads to the take', async () => {
    await page.goto(`${product}/board`);
    await page.getByRole('button', { name: 'Show me the path' }).click();
    await expect(here).toHaveText('See it fail');
    await looksRight(page, 'path of a first visit');
    await path.getByRole('link', { name: 'Take me there' }).click();
    await page.getByRole('button', { name: 'Make a script' }).first().click();
    await expect(path).toContainText('Press “Rehearse”');
  });

  await test.step('it fails, and shows why', async () => {
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await page.getByRole('button', { name: 'Start', exact: true }).click();
    await expect(page.getByText('First divergence.')).toBeVisible();
    await expect(here).toHaveText('See why');
  });

  await test.step('it is left, and taken up again from the palette, by another load of the page', async () => {
    await path.getByRole('button', { name: 'Leave the path' }).click();
    await expect(path).toBeHidden();
    await page.reload();
    await page.keyboard.press('Control+k');
    await page.keyboard.type('path of a first visit');
    await page.keyboard.press('Enter');
    await expect(here).toHaveText('See why');
    await path.getByRole('button', { name: 'Seen, go on' }).click();
    await expect(here).toHaveText('Repair it');
  });

  await test.step('it is repaired by a press, and passes', async () => {
    await page.getByRole('button', { name: 'Rehearse and repair' }).click();
    await page.getByRole('button', { name: 'Start the rounds' }).click();
    await expect(here).toHaveText('Load it', { timeout: 60_000 });
  });

  await test.step('a run is the end of it', async () => {
    await path.getByRole('link', { name: 'Take me there' }).click();
    await expect(page).toHaveURL(/\/workloads$/);
    const script = (await ask<Script[]>('GET', '/projects/p1/scripts'))[0];
    const { id } = await ask<Workload>('POST', '/projects/p1/workloads', {
      name: 'First load',
      generators: 1,
      seed: '1',
      criteria: [],
      crews: [
        {
          id: 'c1',
          name: 'All',
          scriptId: script?.id,
          users: 1,
          think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
          pacing: { kind: 'start-to-start', seconds: 1 },
          onFailure: 'next-iteration',
        },
      ],
      curve: { rampUpSeconds: 0, holdSeconds: 2, rampDownSeconds: 0, atEnd: 'iteration' },
    });
    await ask('POST', `/workloads/${id}/run`);
    await page.getByRole('link', { name: 'Runs' }).click();
    await expect(path).toContainText('That is the whole way');
    await path.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('link', { name: 'Board', exact: true }).click();
    await expect(page.getByText('First time here?')).toBeHidden();
  });
});
