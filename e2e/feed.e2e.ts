import { expect, test, type Page } from '@playwright/test';
import type { DataTable, Script, Take } from '@sturdy/core';
import { ask, container, looksRight, openStage, product, recordTakes, upload, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

/** A script of Tidewell Yard with four transactions that was correlated with two takes; nothing is fed yet. */
let stage: Stage;
let scriptId = '';
test.beforeAll(async () => {
  stage = await openStage();
  const [first, second] = await recordTakes(
    stage,
    [0, 1].map((index) => ({
      transactions: ['sign-in', 'book-intake', 'find-intake', 'sign-out'],
      container: container(500_000 + index),
      goods: ['Frozen cod', 'Chilled salmon'][index] ?? '',
      pallets: 17 + index,
    })),
    true,
  );
  scriptId = (await ask<Script>('POST', `/takes/${first ?? ''}/script`, { name: 'Book and find' })).id;
  await ask('POST', `/scripts/${scriptId}/correlate`, { secondTakeId: second });
});
test.afterAll(() => stage.close());

/** Opens a request of the script at one of its tabs. */
async function openStep(page: Page, method: string, path: string, tab: RegExp): Promise<void> {
  await page.locator('.spine.action', { hasText: method }).filter({ hasText: path }).first().locator('.step').click();
  await page.getByRole('tab', { name: tab }).click();
}

/** Replaces a value of the chosen step by a column of a table. */
async function replaceBy(page: Page, place: RegExp, column: string): Promise<void> {
  await page.getByRole('row', { name: place }).getByRole('button', { name: 'Replace…' }).click();
  await page.getByRole('combobox', { name: /^Column/ }).selectOption({ label: column });
  await page.getByRole('button', { name: 'Replace it' }).click();
  await expect(page.getByRole('dialog')).toHaveCount(0);
}

test('every user is fed: 5,000 rows, checks, a sign-in of its own; 20 users by 5 make exactly 100 intakes of 100 rows', async ({
  page,
}) => {
  const problems: string[] = [];
  page.on('pageerror', (error) => problems.push(error.message));
  const growers = [310, 317, 324];
  const rows = Array.from({ length: 5000 }, (_, index) => [container(600_000 + index), growers[index % 3], 1 + (index % 12)]);

  await test.step('import 5,000 rows, with their delimiter and encoding found out; paste the people', async () => {
    await page.goto(`${product}/data`);
    await page.locator('input[type=file]').setInputFiles({
      name: 'loads.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(`container;grower;pallets\n${rows.map((row) => row.join(';')).join('\n')}\n`),
    });
    await expect(page.getByText('Imported 5000 rows (CSV, delimiter ;, first line names the columns, UTF-8).')).toBeVisible();
    await page.getByRole('button', { name: 'Paste' }).click();
    await page.getByLabel('Table name').fill('people');
    await page
      .getByLabel(/Cells/)
      .fill(['user', ...Array.from({ length: 25 }, (_, at) => `worker${String.fromCharCode(97 + at)}`)].join('\n'));
    await looksRight(page, 'paste');
    await page.getByRole('button', { name: 'Make a table of it' }).click();
    await expect(page.getByText('25 rows, 25 free')).toBeVisible();
    await page.getByLabel('A new row').selectOption('user');
    await page.getByLabel('A dealt row').selectOption('exclusive');
    await expect(page.getByText('Nobody else has a row while a run or rehearsal holds it.')).toBeVisible();
    await looksRight(page, 'data');
  });

  await test.step('bind container, grower and pallets wherever they are sent, and the person who signs in', async () => {
    await page.goto(`${product}/scripts/${scriptId}`);
    await openStep(page, 'POST', '/intakes/new', /Values/);
    await replaceBy(page, /form:container/, 'loads · container (5,000 free rows)');
    await replaceBy(page, /form:growerId/, 'loads · grower (5,000 free rows)');
    await replaceBy(page, /json:\/pallets/, 'loads · pallets (5,000 free rows)');
    await openStep(page, 'POST', '/sign-in', /Values/);
    await page
      .getByRole('row', { name: /form:password/ })
      .getByRole('button', { name: 'Replace…' })
      .click();
    await page.getByRole('combobox', { name: /^by/ }).selectOption('text');
    await page.getByRole('textbox', { name: 'What is sent' }).fill('~{data:people/user}-pass');
    await looksRight(page, 'replace');
    await page.getByRole('button', { name: 'Replace it' }).click();
    await replaceBy(page, /form:user/, 'people · user (25 free rows)');
    await expect(page.getByText('5 data')).toBeVisible();
  });

  await test.step('sign in once per user, and out once; the checks that are suggested', async () => {
    await page.getByRole('button', { name: 'Sign in', exact: true }).click();
    await page.getByLabel('It is played').selectOption('before');
    await page.getByRole('button', { name: 'Sign out', exact: true }).click();
    await page.getByLabel('It is played').selectOption('after');
    await expect(page.getByRole('button', { name: 'Sign in once by each user, before its first iteration' })).toBeVisible();
    await page.waitForTimeout(600);
    await page.getByRole('button', { name: 'Insert' }).click();
    await page.getByRole('button', { name: 'Suggest checks…' }).click();
    await expect(page.getByRole('button', { name: /Accept \d+ checks/ })).toBeEnabled();
    await expect(page.getByText('holds “~{data:loads/container}”').first()).toBeVisible();
    await looksRight(page, 'suggested checks');
    await page.getByRole('button', { name: /Accept \d+ checks/ }).click();
    await openStep(page, 'POST', '/intakes/new', /Checks/);
    await expect(page.getByText('holds “~{data:loads/container}”')).toBeVisible();
    await looksRight(page, 'checks');
  });

  await test.step('the rehearsal passes, and one that lies fails', async () => {
    await page.waitForTimeout(600);
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await page.getByRole('button', { name: 'Start', exact: true }).click();
    await expect(page.locator('.top .note').first()).toContainText('Passed, unproven.', { timeout: 40_000 });
    await expect(page.getByText(/Row 1 of loads was spent/)).toBeVisible();
  });

  await test.step('20 users by 5 iterations make exactly 100 intakes of 100 different rows', async () => {
    const before = stage.yard.truth();
    await page.goto(`${product}/workloads`);
    await page.getByRole('button', { name: 'New workload' }).first().click();
    await page.getByLabel('Every, s').fill('0');
    await page.getByLabel('Users', { exact: true }).fill('20');
    await page.getByRole('button', { name: 'More' }).click();
    await page.getByLabel('Iterations each').fill('5');
    await page.getByLabel('Pauses').selectOption('none');
    await page.getByLabel('Ramp-up, s').fill('2');
    await page.getByLabel('Hold, s').fill('60');
    await page.getByLabel('Ramp-down, s').fill('0');
    await page.getByLabel('Generators').fill('2');
    await page.getByLabel('Generators').blur();
    await expect(page.getByText(/loads: 100 rows needed/)).toBeVisible();
    await page.waitForTimeout(600);
    await looksRight(page, 'workload with iterations');
    await page.getByRole('button', { name: 'Start the run' }).click();
    await expect(page.getByRole('button', { name: 'Abort' })).toBeVisible();
    const runId = page.url().split('/').at(-1) ?? '';
    await expect
      .poll(async () => (await ask<{ run: { state: string } }>('GET', `/runs/${runId}`)).run.state, { timeout: 90_000 })
      .toBe('done');
    const result = await ask<{ iterationsPassed: number; iterationsFailed: number }>('GET', `/runs/${runId}`);
    expect(result).toMatchObject({ iterationsPassed: 100, iterationsFailed: 0 });
    const after = stage.yard.truth();
    expect(after.bookedCount - before.bookedCount).toBe(100);
    const fed = after.intakes.slice(before.intakes.length).map((intake) => intake.container);
    const known = new Set(rows.map(([number]) => number));
    expect(new Set(fed).size).toBe(100);
    expect(fed.every((number) => known.has(number))).toBe(true);
    const tables = await ask<DataTable[]>('GET', '/projects/p1/tables');
    expect(tables.map((table) => [table.name, table.spentCount]).sort()).toEqual([
      ['loads', 101],
      ['people', 0],
    ]);
  });
  expect(problems).toEqual([]);
});

test('steps are put in, tried, wrapped, copied to another script, and undone', async ({ page }) => {
  await page.goto(`${product}/scripts/${scriptId}`);
  await page.locator('.spine.action', { hasText: '/find/results' }).first().locator('.step').click();
  await page.getByRole('button', { name: 'Insert' }).click();
  await page.getByRole('button', { name: 'Code', exact: true }).click();
  const code = page.getByRole('textbox', { name: 'Code' });
  await code.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('variables.seen = answer.status;\nnone.here');
  await page.getByRole('button', { name: 'Try it here' }).click();
  await expect(page.getByText(/Line 2: ReferenceError: 'none' is not defined/).first()).toBeVisible();
  await code.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type("variables.seen = answer.status; log('seen', variables.seen)");
  await page.getByRole('button', { name: 'Try it here' }).click();
  await expect(page.getByText('variable seen = 200').first()).toBeVisible();
  await looksRight(page, 'code step');
  await page.waitForTimeout(1000);
  await page
    .locator('.spine.action', { hasText: '/find/results' })
    .first()
    .locator('.step')
    .click({ modifiers: ['Control'] });
  await expect(page.getByRole('toolbar', { name: 'Chosen steps' })).toContainText('2 steps');
  await page.getByRole('toolbar').getByRole('button', { name: 'When' }).click();
  await page.getByRole('textbox', { name: 'This text' }).fill('~{variable:wanted}');
  await expect(page.locator('.spine.other', { hasText: 'When: when “~{variable:wanted}” is not empty' })).toBeVisible();
  await looksRight(page, 'condition');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Text', exact: true }).click();
  await expect(page.getByText('when: When').first()).toBeVisible();
  await page.getByRole('button', { name: 'Outline' }).click();
  await page.getByRole('button', { name: 'code: Own computation', exact: true }).click();
  await page.locator('.head').click({ position: { x: 5, y: 5 } });
  await page.keyboard.press('Control+c');
  const takes = await ask<Take[]>('GET', '/projects/p1/takes');
  const script = await ask<Script>('POST', `/takes/${takes[0]?.id ?? ''}/script`, { name: 'Another' });
  await page.getByRole('link', { name: 'Scripts' }).click();
  await page.getByRole('link', { name: 'Another' }).click();
  await page.locator('.spine.action .step').first().click();
  await page.getByRole('button', { name: 'Insert' }).click();
  await page.getByRole('button', { name: 'Paste 1 step' }).click();
  await expect(page.getByRole('button', { name: 'code: Own computation', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('button', { name: 'code: Own computation', exact: true })).toHaveCount(0);
  await page.waitForTimeout(600);
  expect(
    (await ask<Script>('GET', `/scripts/${script.id}`)).transactions
      .flatMap((transaction) => transaction.steps)
      .some((step) => step.kind === 'code'),
  ).toBe(false);
});

test('columns are generated after their standards with the first rows shown, and a bad file says what is wrong', async ({ page }) => {
  await page.goto(`${product}/data`);
  await page.getByRole('button', { name: 'Generate' }).first().click();
  await page.getByRole('button', { name: 'Add a column' }).click();
  await page.getByLabel('Filled with').nth(1).selectOption('iban');
  await expect(page.getByRole('table', { name: 'First rows as they would be' })).toContainText(/DE\d{20}/);
  await page.getByLabel('Country').fill('d');
  await expect(page.getByRole('alert')).toContainText('“d” holds other signs than two capitals');
  await page.getByLabel('Country').fill('DE');
  await looksRight(page, 'generate');
  await page.getByRole('button', { name: 'Generate 5,000 rows' }).click();
  await expect(page.getByText('5,000 rows, 5,000 free')).toBeVisible();
  const bad = await upload('/projects/p1/tables/import?name=bad&ragged=stop', 'a,b\n1\n2,3\n');
  expect([bad.status, bad.body.detail]).toEqual([
    422,
    '1 line does not fit; the first is line 2, which has 1 fields instead of 2. Nothing was imported.',
  ]);
});
