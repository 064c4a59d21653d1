import { expect, test } from '@playwright/test';
import { chromium, type Page } from 'playwright-core';
import { ask, container, looksRight, openStage, picture, product, productPort, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

/** The clean browser has no window here, and is used over a port. */
const port = productPort + 8;
let stage: Stage;
test.beforeAll(async () => {
  process.env['STURDY_BROWSER_ARGUMENTS'] = `--headless --remote-debugging-port=${port}`;
  stage = await openStage();
  delete process.env['STURDY_BROWSER_ARGUMENTS'];
});
test.afterAll(() => stage.close());

async function cleanBrowser(): Promise<Page> {
  for (let tries = 0; ; tries++) {
    try {
      const [context] = (await chromium.connectOverCDP(`http://127.0.0.1:${port}`)).contexts();
      const page = context?.pages()[0];
      if (page) return page;
    } catch (error) {
      if (tries > 60) throw error;
    }
    await new Promise((done) => setTimeout(done, 250));
  }
}

test('recorded once with gestures, the second take makes itself, and the script passes and is proven', async ({ page }) => {
  await test.step('a person records in the clean browser', async () => {
    await page.goto(`${product}/takes/record`);
    await page.getByLabel('What will you record?').fill('Book and allocate');
    await page.getByRole('button', { name: 'Start recording' }).click();
    await expect(page.locator('.proxy')).toBeVisible();
    await ask('POST', '/takes/record/browser', { address: stage.yard.origin });
    const yard = await cleanBrowser();
    const type = async (label: string, text: string) => {
      await yard.getByLabel(label, { exact: true }).click();
      await yard.keyboard.type(text, { delay: 15 });
    };
    const transaction = async (name: string, does: () => Promise<void>) => {
      await ask('POST', '/takes/record/marks', { kind: 'begin', text: name });
      await does();
      await yard.waitForLoadState('networkidle');
      await ask('POST', '/takes/record/marks', { kind: 'end', text: name });
    };
    await transaction('Sign in', async () => {
      await yard.getByRole('link', { name: 'Sign in' }).click();
      await type('User', 'mara');
      await type('Password', 'mara-pass');
      await yard.getByRole('button', { name: 'Sign in' }).click();
      await yard.getByRole('link', { name: 'Book intake' }).waitFor();
    });
    await transaction('Book intake', async () => {
      await yard.getByRole('link', { name: 'Book intake' }).click();
      await yard.waitForLoadState();
      await type('Container', container(500_100));
      await type('Grower', 'alm');
      await yard.getByLabel('Goods').focus();
      await yard.locator('select[name=growerId] option').nth(1).waitFor({ state: 'attached' });
      await yard.locator('select[name=growerId]').selectOption({ index: 1 });
      await type('Goods', 'Frozen cod');
      await type('Set temperature °C', '-18.5');
      await type('Pallets', '22');
      await yard.getByRole('button', { name: 'Book' }).click();
      await yard.locator('#number').waitFor();
    });
    await transaction('Allocate bay', async () => {
      await yard.getByRole('button', { name: 'Allocate bay' }).click();
      await yard.locator('#bay-choice option').first().waitFor({ state: 'attached' });
      await yard.locator('#bay-choice').selectOption({ index: 1 });
      await yard.getByRole('button', { name: 'Take bay' }).click();
      await yard.locator('#bay:not(:text("none yet"))').waitFor();
    });
    await page.getByRole('button', { name: 'Stop and look at the take' }).click();
    await expect(page.getByRole('heading', { name: 'Book and allocate' })).toBeVisible();
  });

  await test.step('its gestures are told with the requests that followed, and the second take makes itself', async () => {
    await page.getByRole('tab', { name: /Gestures/ }).click();
    await expect(page.getByRole('row', { name: /Type “alm” into the field “Grower”.*GET \/api\/growers/ })).toBeVisible();
    await expect(page.getByText('Type a password into')).toBeVisible();
    await page.getByRole('button', { name: 'Make the second take' }).click();
    await expect(page.getByText(/Gesture \d+ of \d+/)).toBeVisible();
    await expect(page.getByText(/All \d+ gestures were played/)).toBeVisible({ timeout: 90_000 });
    await expect(page.getByText(/With other values:.*into the field “Container”/)).toBeVisible();
    await looksRight(page, 'gestures');
    await picture(page, 'gestures');
    await page.getByRole('button', { name: 'GET /api/growers' }).click();
    await expect(page.getByText(/Followed from gesture \d+: Type “alm”/)).toBeVisible();
  });

  await test.step('correlated with it, the script passes and is proven', async () => {
    await page.getByLabel('Script name').fill('Book and allocate');
    await page.getByRole('button', { name: 'Make a script' }).click();
    await page.getByRole('button', { name: 'Correlate' }).click();
    await page.getByRole('button', { name: 'with Book and allocate, second take as second take' }).click();
    await expect(page.getByText(/\d+ handoffs, \d+ client-made values, 0 unsure/)).toBeVisible({ timeout: 60_000 });
    await page.getByRole('button', { name: 'Rehearse and repair' }).click();
    await page.getByLabel('I know this; start at once').check();
    await page.getByRole('button', { name: 'Start the rounds' }).click();
    await expect(page.getByText('Passed and proven.')).toBeVisible({ timeout: 90_000 });
  });
});
