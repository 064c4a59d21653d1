import { expect, test } from '@playwright/test';
import type { Environment, ProjectSummary, Script } from '@sturdy/core';
import { ask, container, looksRight, openStage, product, recordTakes, type Stage } from './stage.js';

let stage: Stage;
test.beforeAll(async () => {
  stage = await openStage();
});
test.afterAll(() => stage.close());

test('projects: the address holds one, another is made, one travels as a file, and what is deleted comes back', async ({ page }) => {
  await test.step('an address without a project leads to the one that was open last', async () => {
    await page.goto(`${product}/scripts`);
    await expect(page).toHaveURL(`${product}/projects/p1/scripts`);
    const [take] = await recordTakes(stage, [{ transactions: ['sign-in', 'sign-out'], container: container(801) }], false);
    await ask<Script>('POST', `/takes/${take ?? ''}/script`, { name: 'Look around' });
    const [environment] = await ask<Environment[]>('GET', '/projects/p1/environments');
    await ask('PUT', '/projects/p1/environments/e1', {
      ...environment,
      variables: { depot: 'north', key: 'sloe-4410' },
      secretVariables: ['key'],
    });
  });

  await test.step('another one is made, and has nothing of the first', async () => {
    await page.getByRole('button', { name: 'Tidewell release 4.2' }).click();
    await page.getByRole('link', { name: 'All projects' }).click();
    await page.getByRole('button', { name: 'New project' }).click();
    await page.getByLabel('Name of the new project').fill('Order desk');
    await page.getByRole('button', { name: 'Make it' }).click();
    await page.getByRole('link', { name: 'Order desk' }).click();
    await expect(page.getByText('Record the first take')).toBeVisible();
    await page.getByRole('link', { name: 'Scripts' }).click();
    await expect(page.getByRole('main')).not.toContainText('Look around');
    await page.keyboard.press('Control+k');
    await page.keyboard.type('open the project tidewell');
    await page.keyboard.press('Enter');
    await expect(page).toHaveURL(`${product}/projects/p1/board`);
    await expect(page.getByRole('link', { name: 'Look around' })).toBeVisible();
  });

  await test.step('it travels as a file, which holds no secret, and asks for it once where it comes in', async () => {
    await page.goto(`${product}/projects`);
    const row = page.getByRole('row', { name: /Tidewell release 4\.2/ });
    const [download] = await Promise.all([page.waitForEvent('download'), row.getByRole('link', { name: 'Export' }).click()]);
    expect(download.suggestedFilename()).toBe('Tidewell-release-4.2.zip');
    await page.locator('input[type=file]').setInputFiles(await download.path());
    const made = page.getByRole('region', { name: 'Imported project' });
    await expect(made).toContainText('Tidewell release 4.2 (2) is here.');
    await looksRight(page, 'projects, imported');
    await made.getByLabel('THIS_MACHINE_VARIABLE_KEY').fill('sloe-4410');
    await made.getByRole('button', { name: 'Keep them' }).click();
    await expect(made).not.toContainText('THIS_MACHINE_VARIABLE_KEY');
    await made.getByRole('link', { name: 'Open it' }).click();
    await page.getByRole('link', { name: 'Look around' }).click();
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await page.getByRole('button', { name: 'Start', exact: true }).click();
    // It is as far as the project that it came from: its answers are laid beside its own take.
    await expect(page.getByText('First divergence.')).toBeVisible();
  });

  await test.step('it is archived, deleted in two steps, and had back before the second', async () => {
    await page.goto(`${product}/projects`);
    const copy = 'Tidewell release 4.2 (2)';
    await page.getByRole('button', { name: `Delete ${copy}` }).click();
    await page.getByRole('button', { name: 'Delete it' }).click();
    const deleted = page.getByRole('region', { name: 'Deleted projects' });
    await expect(deleted).toContainText(copy);
    await page.getByRole('button', { name: 'More of Order desk' }).click();
    await page.getByRole('button', { name: 'Archive' }).click();
    await expect(page.getByRole('region', { name: 'Archived projects' })).toContainText('Order desk');
    await looksRight(page, 'projects');
    const [, , { id } = { id: '' }] = await ask<ProjectSummary[]>('GET', '/projects');
    await page.goto(`${product}/projects/${id}/board`);
    await expect(page.getByRole('alert').first()).toContainText('names a project that is not there, or was deleted');
    await page.goto(`${product}/projects`);
    await deleted.getByRole('button', { name: 'Have it back' }).click();
    await expect(deleted).toBeHidden();
    await page.getByRole('button', { name: `Delete ${copy}` }).click();
    await page.getByRole('button', { name: 'Delete it' }).click();
    await deleted.getByRole('button', { name: `Delete ${copy} for good` }).click();
    await deleted.getByRole('button', { name: 'Delete all of it for good' }).click();
    await expect(deleted).toBeHidden();
    expect((await ask<ProjectSummary[]>('GET', '/projects')).map(({ name }) => name)).toEqual(['Tidewell release 4.2', 'Order desk']);
  });
});
