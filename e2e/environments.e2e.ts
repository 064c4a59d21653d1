import { expect, test } from '@playwright/test';
import type { Environment, HistoryEntry } from '@sturdy/core';
import { ask, container, looksRight, openStage, picture, product, recordTakes, type Stage } from './stage.js';

let stage: Stage;
test.beforeAll(async () => {
  stage = await openStage('--clear-networks', '10.20.0.0/16');
});
test.afterAll(() => stage.close());

test('several environments: one is copied, marked, chosen, compared, cleared, and named by what was played in it', async ({ page }) => {
  await test.step('a copy of the first is chosen and stands for production', async () => {
    await page.goto(`${product}/environments`);
    await page.getByRole('button', { name: 'Duplicate' }).click();
    await page.getByLabel(/Name of the copy/).fill('Half of production');
    await page.getByRole('button', { name: 'Add it' }).click();
    const card = page.getByRole('region', { name: 'Half of production' });
    await card.getByRole('button', { name: 'Change' }).click();
    await page.getByLabel(/Allowed targets/).fill(`${stage.yard.origin}\nhttp://10.20.0.7:8080\nhttp://10.9.9.9`);
    await page.getByLabel('It stands for production').check();
    await page.getByRole('button', { name: 'Save' }).click();
    await card.getByRole('button', { name: 'Use it' }).click();
    await expect(page.getByLabel('Environment in which you record')).toHaveValue('e2');
    await expect(page.getByRole('banner')).toContainText('production-like');
  });

  await test.step('a target is cleared, unless the operator of the machine forbids it', async () => {
    const row = (origin: string) => page.locator('.target', { hasText: origin });
    await row('http://10.9.9.9').getByRole('button', { name: 'Clear it…' }).click();
    await expect(page.getByRole('alert')).toContainText('10.9.9.9 is in none of its networks (10.20.0.0/16).');
    await page.getByRole('button', { name: 'Cancel' }).click();
    await row('http://10.20.0.7:8080').getByRole('button', { name: 'Clear it…' }).click();
    await expect(page.getByRole('table', { name: 'Where it leads now' })).toContainText('private network');
    await looksRight(page, 'clear a target');
    await page.getByLabel('Allowed by').fill('Mara Lind');
    await page.getByLabel('For what').fill('load test of release 4.2, agreed with operations');
    await page.getByRole('button', { name: 'Clear it', exact: true }).click();
    await expect(row('http://10.20.0.7:8080')).toContainText('Cleared by Mara Lind until');
    await expect(page.getByRole('region', { name: 'History of clearances' })).toContainText('It leads to 10.20.0.7.');
    await page.getByRole('button', { name: 'Compare two' }).click();
    await expect(page.getByRole('region', { name: 'Differences' })).toContainText('Production-like');
    await looksRight(page, 'environments');
    await picture(page, 'environments');
  });

  await test.step('what starts says where, and what was played names it', async () => {
    const [take] = await recordTakes(stage, [{ transactions: ['sign-in'], container: container(700) }], false);
    const script = await ask<{ id: string }>('POST', `/takes/${take ?? ''}/script`, { name: 'Sign in' });
    await page.goto(`${product}/scripts/${script.id}`);
    await expect(page.getByText('Half of production is production-like').first()).toBeVisible();
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await expect(page.getByText('which is production-like: make sure that this is meant')).toBeVisible();
    await page.getByRole('button', { name: 'Start', exact: true }).click();
    await expect(page.getByRole('combobox', { name: 'Show' })).toContainText('in Half of production');
    await page.goto(`${product}/takes/record`);
    await expect(page.getByText('Half of production is production-like')).toBeVisible();
  });

  await test.step('the choice outlives a reload, and another browser has its own', async () => {
    await page.reload();
    await expect(page.getByLabel('Environment in which you record')).toHaveValue('e2');
    const other = await page.context().browser()?.newPage();
    await other?.goto(`${product}/environments`);
    if (other) await expect(other.getByLabel('Environment in which you record')).toHaveValue('e1');
    await other?.close();
    const [, second] = await ask<Environment[]>('GET', '/projects/p1/environments');
    expect(second).toMatchObject({ name: 'Half of production', productionLike: true, clearances: [{ by: 'Mara Lind' }] });
    const kinds = (await ask<HistoryEntry[]>('GET', '/projects/p1/history')).map(({ kind }) => kind);
    expect(kinds).toEqual(['cleared']);
  });
});
