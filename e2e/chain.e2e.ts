import { expect, test } from '@playwright/test';
import { playYardRobot } from '../packages/standins/src/index.js';
import { ask, container, looksRight, openStage, picture, product, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
test.beforeAll(async () => {
  stage = await openStage();
});
test.afterAll(() => stage.close());

test('from a recording to an explained verdict, through the real interface', async ({ page }) => {
  const problems: string[] = [];
  page.on('pageerror', (error) => problems.push(error.message));

  await test.step('record two takes by robot', async () => {
    await page.goto(`${product}/board`);
    await expect(page.getByText('No script yet')).toBeVisible();
    await looksRight(page, 'empty board');
    for (const [index, name] of ['Take 1', 'Take 2'].entries()) {
      await page.goto(`${product}/takes/record`);
      await page.getByLabel('What will you record?').fill(name);
      await page.getByRole('button', { name: 'Start recording' }).click();
      const proxy = await page.locator('.proxy').innerText();
      await playYardRobot({
        origin: stage.yard.origin,
        proxy,
        transactions: ['sign-in', 'book-intake', 'allocate-bay', 'release-load', 'sign-out'],
        container: container(500_000 + index),
        bayChoice: index,
        mark: async (kind, text) => {
          await ask('POST', '/takes/record/marks', { kind, text });
        },
      });
      await expect(page.locator('.state.on')).toContainText(/\d\d exchanges/);
      if (index === 0) {
        await page.getByLabel('Comment').fill('The robot was quick today.');
        await page.getByRole('button', { name: 'Note it' }).click();
        await expect(page.getByText('The robot was quick today.')).toBeVisible();
        await looksRight(page, 'recording room');
        await picture(page, 'recording-room');
      }
      await page.getByRole('button', { name: 'Stop and look at the take' }).click();
      await expect(page.getByRole('heading', { name })).toBeVisible();
    }
    await page.goto(`${product}/takes`);
    await expect(page.getByRole('row')).toHaveCount(3);
    await looksRight(page, 'takes');
    await page.getByRole('link', { name: 'Take 1' }).click();
    await page.getByRole('button', { name: /POST/ }).first().click();
    await expect(page.getByText('15 steps of 20 exchanges')).toBeVisible();
    await page.getByRole('tab', { name: 'Request' }).click();
    await looksRight(page, 'take');
    await picture(page, 'take');
  });

  await test.step('rehearse: it fails, and says why', async () => {
    await page.getByLabel('Script name').fill('Book intake');
    await page.getByRole('button', { name: 'Make a script' }).click();
    await expect(page.getByText('This script sends everything as it was recorded.')).toBeVisible();
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await expect(page.getByText('This makes real records.')).toBeVisible();
    await expect(page.getByText(/5 of its 15 steps can change something/)).toBeVisible();
    await looksRight(page, 'before a rehearsal');
    await page.getByLabel('I know this; start at once').check();
    await page.getByRole('button', { name: 'Start', exact: true }).click();
    const why = page.locator('.note.bad').first();
    await expect(why).toContainText('First divergence. Step 3, POST /sign-in');
    await expect(why).toContainText('“Your visit has ended”');
    await expect(why).toContainText('It sent form key');
    await expect(why).toContainText('from the take; the server now gives');
    await looksRight(page, 'failed rehearsal');
    await picture(page, 'rehearsal');
  });

  await test.step('correlate, repair, rehearse: it passes', async () => {
    await page.getByRole('link', { name: 'Back to the script' }).click();
    await page.getByRole('button', { name: 'Correlate' }).click();
    await page.getByRole('button', { name: 'with Take 2 as second take' }).click();
    await expect(page.getByText('9 handoffs, 9 client-made values, 0 unsure')).toBeVisible({ timeout: 30_000 });
    await expect(page.locator('app-strings .thread')).toHaveCount(9);
    await page.getByRole('button', { name: 'Rehearse and repair' }).click();
    // The whole list is compared, so that a failure says what the rounds said.
    await expect(page.locator('.note', { hasText: /Round \d/ })).toHaveText([/Round 1: failed/, /Round 2: passed/], { timeout: 60_000 });
    await expect(page.getByText('was booked before')).toBeVisible();
    await expect(page.getByText('Passed and proven.')).toBeVisible();
    await expect(page.getByText(/made intake \d+, then \d+/).first()).toBeVisible();
    await looksRight(page, 'script after its repair');
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await expect(page.getByText('Passed and proven.')).toBeVisible();
    const before = stage.yard.truth();
    expect(before.releasedCount).toBe(before.bookedCount);
  });

  await test.step('feed it: CSV, bound wherever the container number is sent', async () => {
    await page.goto(`${product}/data`);
    const rows = Array.from({ length: 300 }, (_, index) => `${container(600_000 + index)},${index}`);
    await page.locator('input[type=file]').setInputFiles({
      name: 'containers.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(`container,note\n${rows.join('\n')}\nTWCU1,2,3\n`),
    });
    await expect(page.getByText('Line 302 has 3 fields instead of 2.')).toBeVisible();
    await expect(page.getByRole('gridcell', { name: container(600_000) })).toBeVisible();
    await page.goto(`${product}/scripts`);
    await page.getByRole('link', { name: 'Book intake' }).click();
    await page.locator('.spine.action', { hasText: 'POST' }).filter({ hasText: '/intakes/new' }).locator('.step').click();
    await page.getByRole('tab', { name: /Values/ }).click();
    await page
      .getByRole('row', { name: /form:container/ })
      .getByRole('button', { name: 'Replace…' })
      .click();
    await expect(page.getByText('It is sent at 1 place')).toBeVisible();
    await looksRight(page, 'bind dialog');
    await page.getByRole('button', { name: 'Replace it' }).click();
    await page.getByRole('tab', { name: /Request/ }).click();
    await expect(page.locator('.chip.data')).toHaveText('containers · container');
    await looksRight(page, 'script');
    await picture(page, 'script');
  });

  let runUrl = '';
  const before = stage.yard.truth();
  await test.step('run 20 users and read the verdict', async () => {
    await page.goto(`${product}/workloads`);
    await page.getByRole('button', { name: 'New workload' }).first().click();
    await page.getByLabel('Every, s').fill('7');
    await page.getByLabel('Ramp-up, s').fill('5');
    await page.getByLabel('Hold, s').fill('15');
    await page.getByLabel('Ramp-down, s').fill('2');
    await page.getByLabel('Generators').fill('2');
    await page.getByRole('button', { name: 'Add a criterion' }).click();
    await page.getByLabel('At most, ms').fill('3000');
    await page.getByLabel('At most, ms').blur();
    await expect(page.getByText(/rows needed, 300 free/)).toBeVisible();
    await expect(page.getByText('Nothing prevents a run.')).toBeVisible();
    await page.waitForTimeout(600);
    await looksRight(page, 'workload');
    await picture(page, 'workload');
    await page.getByRole('button', { name: 'Start the run' }).click();
    await expect(page.getByRole('button', { name: 'Abort' })).toBeVisible();
    runUrl = page.url();
    await expect(page.locator('.cells .cell')).toHaveCount(20, { timeout: 20_000 });
    await page.waitForTimeout(12_000);
    await page.locator('.cells .cell').nth(3).click();
    await picture(page, 'run-room');
    await looksRight(page, 'run room');
    await expect(page.getByText('All criteria held')).toBeVisible({ timeout: 90_000 });
    // Whether they can be trusted depends on how busy this machine is; either way the page must say it.
    await expect(page.getByText(/The figures can be trusted|Read the figures with care/)).toBeVisible();
    await looksRight(page, 'run page');
  });

  await test.step('exactly as many intakes as iterations', async () => {
    const runId = runUrl.split('/').at(-1) ?? '';
    const result = await ask<{ iterationsPassed: number; iterationsFailed: number }>('GET', `/runs/${runId}`);
    const after = stage.yard.truth();
    expect(result.iterationsFailed).toBe(0);
    // Each of the 20 users plays at least once; how often more depends on how busy this machine is.
    expect(result.iterationsPassed).toBeGreaterThanOrEqual(20);
    expect(after.bookedCount - before.bookedCount).toBe(result.iterationsPassed);
    expect(after.releasedCount - before.releasedCount).toBe(result.iterationsPassed);
    const fed = after.intakes.slice(before.intakes.length).map((intake) => intake.container);
    expect(new Set(fed).size).toBe(fed.length);
    const [table] = await ask<{ spentCount: number }[]>('GET', '/projects/p1/tables');
    expect(table?.spentCount).toBe(result.iterationsPassed);
  });

  await test.step('the other screens', async () => {
    await page.goto(`${product}/board`);
    await expect(page.getByText('criteria held').first()).toBeVisible();
    await looksRight(page, 'board');
    await picture(page, 'board');
    for (const [path, name] of [
      ['/runs', 'Runs'],
      ['/workloads', 'Workloads'],
      ['/scripts', 'Scripts'],
    ]) {
      await page.goto(product + (path ?? ''));
      await expect(page.getByRole('heading', { name: name ?? '', level: 1 })).toBeVisible();
      await looksRight(page, name ?? '');
    }
    await page.goto(`${product}/data`);
    await expect(page.getByText('run 1').first()).toBeVisible();
    await looksRight(page, 'data');
    await picture(page, 'data');
    await page.keyboard.press('Control+k');
    await page.getByRole('combobox').fill('take 1');
    await looksRight(page, 'palette');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('heading', { name: 'Take 1' })).toBeVisible();
    await page.getByRole('button', { name: 'Help' }).click();
    await looksRight(page, 'help');
  });
  expect(problems).toEqual([]);
});

test('a script is renamed, its steps moved and deleted, and all of it undone', async ({ page }) => {
  await page.goto(`${product}/scripts`);
  await page.getByRole('link', { name: 'Book intake' }).click();
  const steps = page.locator('.spine.action');
  await expect(steps).toHaveCount(15);
  await page.getByRole('button', { name: 'Book intake' }).first().click();
  await page.getByLabel('Name of the script').fill('Book, allocate, release');
  await page.getByLabel('Name of the script').press('Enter');
  await expect(page.getByRole('heading', { name: 'Book, allocate, release' })).toBeVisible();
  await page.getByRole('button', { name: 'Delete step 7', exact: true }).click({ force: true });
  await expect(steps).toHaveCount(14);
  await expect(page.locator('app-strings .thread')).toHaveCount(8);
  await page.keyboard.press('Control+z');
  await expect(steps).toHaveCount(15);
  await expect(page.locator('app-strings .thread')).toHaveCount(9);
  // The first time it passes the pause, the second time the next request.
  for (let time = 0; time < 2; time++) await page.getByRole('button', { name: 'Move step 1 down' }).click({ force: true });
  await expect(steps.nth(0)).toContainText('/sign-in');
  for (let time = 0; time < 3; time++) await page.keyboard.press('Control+z');
  await expect(page.getByRole('heading', { name: 'Book intake' })).toBeVisible();
});
