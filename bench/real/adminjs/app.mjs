// AdminJS from the npm registry: pages of scripts that are generated from tables; a JSON interface with multipart forms. An intake is
// made with a grower chosen from a searched list, its state is changed, and it is looked at.
import { copyFileSync } from 'node:fs';
import { join } from 'node:path';
import { answers, startPostgres, startProgram } from '../stage.mjs';

export const app = {
  title: 'AdminJS 7: generated single-page tables, JSON and multipart',
  debian: ['postgresql-15'],
  npm: [
    'adminjs@7',
    '@adminjs/express@6',
    '@adminjs/sequelize',
    'sequelize@6',
    'pg',
    'express@4',
    'express-session',
    'express-formidable',
    'tslib',
  ],
  takes: [
    { title: 'Peas from the hill', pallets: '14', grower: 'Birch', state: 'arrived' },
    { title: 'Fish of the night', pallets: '9', grower: 'Elder', state: 'released' },
  ],
  async start({ folder, npmFolder }) {
    const database = await startPostgres(folder, 4845);
    const host = join(npmFolder, 'server.mjs');
    copyFileSync(new URL('server.mjs', import.meta.url), host);
    const server = startProgram(process.execPath, [host, '4846', 'postgres://postgres@127.0.0.1:4845/app'], { cwd: npmFolder });
    const origin = 'http://127.0.0.1:4846';
    await answers(`${origin}/admin/login`);
    return {
      origin,
      things: () =>
        database
          .sql('select id, title, pallets, state, "growerId", chilled from intakes where id > 7 order by id')
          .split('\n')
          .filter(Boolean)
          .map((text) => text.trim())
          .map((text) => ({ id: text.split(' | ')[0], text, done: / \| (arrived|released) \| \d/.test(text) })),
      stop: () => {
        server.stop();
        database.stop();
      },
    };
  },
  async flow(page, origin, { title, pallets, grower, state }) {
    await page.goto(`${origin}/admin/login`);
    await page.fill('[name=email]', 'kim@example.test');
    await page.fill('[name=password]', 'tulip-42');
    await page.click('button');
    await page.waitForTimeout(2500);
    await page.goto(`${origin}/admin/resources/intakes`);
    await page.waitForTimeout(2000);
    await page.click('text=Create new');
    await page.waitForTimeout(1500);
    await page.fill('#title', title);
    await page.fill('#pallets', pallets);
    await page.locator('input[role=combobox]').nth(0).fill(grower.slice(0, 3));
    await page.waitForTimeout(1200);
    await page.click(`[class*=-option]:has-text("${grower}")`);
    await page.click('button[type=submit]');
    await page.waitForTimeout(2000);
    await page.click(`text=${title}`);
    await page.waitForTimeout(1500);
    await page.click('a:has-text("Edit")');
    await page.waitForTimeout(1500);
    await page.locator('input[role=combobox]').nth(1).click();
    await page.click(`[class*=-option]:has-text("${state}")`);
    await page.click('button[type=submit]');
    await page.waitForTimeout(2000);
    await page.click(`text=${title}`);
    await page.waitForTimeout(1500);
    await page.goto(`${origin}/admin/logout`);
    await page.waitForTimeout(800);
  },
};
