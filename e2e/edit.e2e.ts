import { request } from 'node:http';
import { expect, test } from '@playwright/test';
import type { DataTable, Rehearsal, Script, Take } from '@sturdy/core';
import { ask, container, looksRight, openStage, picture, product, productPort, recordTakes, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

/** Two scripts of Tidewell Yard, correlated with each other's take; a third take for pieces. */
let stage: Stage;
let takes: string[] = [];
let bookId = '';
let lookId = '';
test.beforeAll(async () => {
  stage = await openStage();
  const play = (index: number) => ({
    transactions: ['sign-in', 'book-intake', 'find-intake', 'sign-out'] satisfies Parameters<typeof recordTakes>[1][number]['transactions'],
    container: container(510_000 + index),
    goods: ['Frozen cod', 'Chilled salmon', 'Blue mussels'][index] ?? '',
    pallets: 11 + index,
  });
  takes = await recordTakes(stage, [play(0), play(1), play(2)], true);
  const scriptOf = async (take: string, second: string, name: string): Promise<string> => {
    const { id } = await ask<Script>('POST', `/takes/${take}/script`, { name });
    await ask('POST', `/scripts/${id}/correlate`, { secondTakeId: second });
    return id;
  };
  bookId = await scriptOf(takes[0] ?? '', takes[1] ?? '', 'Book and find');
  lookId = await scriptOf(takes[1] ?? '', takes[0] ?? '', 'Only look');
});
test.afterAll(() => stage.close());

test('a table is edited as a sheet: cells, a pasted block, columns, what stands twice, and every state can be had back', async ({
  page,
}) => {
  const rows = Array.from({ length: 600 }, (_, at) => [
    container(700_000 + (at === 7 ? 6 : at)),
    String(100 + (at % 50)),
    `2026-11-${String(1 + (at % 28)).padStart(2, '0')}`,
  ]);
  await page.goto(`${product}/data`);
  await page.locator('input[type=file]').setInputFiles({
    name: 'loads.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(`container,kg,due\n${rows.map((row) => row.join(',')).join('\n')}\nlonely\n`),
  });
  const found = page.getByRole('region', { name: 'What the import found' });
  await expect(found).toContainText('2 rows repeat a value of container');
  await expect(found).toContainText('Line 602 has 1 fields instead of 3.');
  await found.getByRole('button', { name: 'Show them' }).click();
  await expect(page.getByText('2 shown')).toBeVisible();
  await page.getByLabel('Which rows').selectOption('all');
  await expect(page.getByText('600 shown')).toBeVisible();

  const cell = (row: number, column: number) => page.locator(`.ag-row[row-index="${row}"] .ag-cell[col-id="c${column}"]`);
  await cell(2, 1).dblclick();
  await page.keyboard.type('heavy');
  await page.keyboard.press('Enter');
  await expect(cell(2, 1)).toHaveText('heavy');
  await expect(cell(2, 1)).toHaveClass(/misfit/);
  await cell(4, 0).click();
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', 'TWCU1\t7\nTWCU2\t8\n');
    document.activeElement?.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await expect(cell(5, 1)).toHaveText('8');
  await page.getByRole('button', { name: 'Row', exact: true }).click();
  await expect(page.getByText('601 shown')).toBeVisible();
  await page.getByRole('tab', { name: 'Columns' }).click();
  await page.getByLabel('Name of column 2').fill('weight');
  await page.getByLabel('Name of column 2').blur();
  await page.getByRole('tab', { name: 'Versions' }).click();
  await expect(page.getByRole('button', { name: /kg is called weight/ })).toBeVisible();
  // Its styles are let in: heads stand side by side.
  const [row, nextHead] = [page.getByRole('columnheader', { name: 'Row' }), page.getByRole('columnheader').nth(2)];
  expect((await row.boundingBox())?.y).toBe((await nextHead.boundingBox())?.y);
  await looksRight(page, 'table');
  await page.getByLabel('Find in all columns').fill('heavy');
  await expect(page.getByText('1 shown')).toBeVisible();
  await page.getByLabel('Find in all columns').fill('');
  await expect(page.getByText('601 shown')).toBeVisible();
  await page.getByRole('button', { name: 'as it was made' }).click();
  await expect(page.getByText('600 shown')).toBeVisible();
  await expect(cell(2, 1)).toHaveText(rows[2]?.[1] ?? '');
  await page.getByRole('button', { name: 'Redo' }).click();
  await expect(cell(2, 1)).toHaveText('heavy');
  await picture(page, 'data');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(cell(2, 1)).toHaveText(rows[2]?.[1] ?? '');
  const [table] = await ask<DataTable[]>('GET', '/projects/p1/tables');
  expect([table?.version, table?.columns[1]?.name, table?.rowCount]).toEqual([0, 'kg', 600]);
});

test('rows come from a query of the data tables, and a file of a gigabyte is refused before it is sent', async ({ page }) => {
  await page.goto(`${product}/data`);
  await page.getByRole('button', { name: 'Query' }).click();
  await page.getByLabel('Table name').fill('Takes');
  await page.getByRole('combobox', { name: 'Database' }).selectOption('own');
  await page.getByLabel(/^Query/).fill('select nothing from "loads"');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('alert')).toContainText('column "nothing" does not exist');
  const [table] = await ask<DataTable[]>('GET', '/projects/p1/tables');
  const [first = '', second = ''] = table?.columns.map((column) => column.name) ?? [];
  await page.getByLabel(/^Query/).fill(`select "${first}", "${second}" from "loads" where row <= 2 order by row`);
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('table', { name: 'First rows of the query' }).getByRole('row')).toHaveCount(3);
  await looksRight(page, 'query');
  await page.getByRole('button', { name: 'Import all rows' }).click();
  await expect(page.getByText('Imported 2 rows (2 rows of a query).')).toBeVisible();
  const refused = await new Promise<{ status: number; text: string }>((done, failed) => {
    const asked = request(
      {
        host: '127.0.0.1',
        port: productPort,
        method: 'POST',
        path: '/api/projects/p1/tables/import?name=huge',
        headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': 1024 ** 3, Expect: '100-continue' },
      },
      (answer) => {
        let text = '';
        answer.on('data', (chunk: Buffer) => (text += chunk.toString()));
        answer.on('end', () => {
          done({ status: answer.statusCode ?? 0, text });
          asked.destroy();
        });
      },
    );
    asked.on('error', failed);
    asked.flushHeaders();
    asked.write('a,b\n');
  });
  expect([refused.status, (JSON.parse(refused.text) as { detail: string }).detail]).toEqual([
    413,
    'The file is larger than 512 MB. Split it, and import the parts one by one.',
  ]);
});

test('a sign-in is kept as a part: put into another script, and a change in the one is a change in the other', async ({ page }) => {
  await page.goto(`${product}/scripts/${bookId}`);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await page.getByRole('button', { name: 'Keep it as a part' }).click();
  await expect(page.getByText('This is the part “Sign in”, kept once. No other script has it yet.')).toBeVisible();

  await page.goto(`${product}/scripts/${lookId}`);
  await page.getByRole('button', { name: 'Delete Sign in' }).click();
  await page.waitForTimeout(700);
  await page.getByRole('button', { name: 'Insert' }).click();
  await page.getByRole('button', { name: 'Part: Sign in' }).click();
  await expect(page.getByRole('button', { name: 'Part Sign in' })).toBeVisible();
  await page.locator('.spine.transaction').first().getByRole('button', { name: 'Rename' }).click();
  await page.keyboard.press('Escape');
  const order = async () => (await ask<Script>('GET', `/scripts/${lookId}`)).transactions.map((transaction) => transaction.name);
  // It was put behind the last transaction; a sign-in comes first.
  for (let at = 0; at < 3; at++) await page.getByRole('button', { name: 'Move up Sign in' }).click();
  await expect.poll(order).toEqual(['Sign in', 'Book intake', 'Find intake', 'Sign out']);
  const played = await ask<Rehearsal>('POST', `/scripts/${lookId}/rehearse`, {});
  expect(played.divergence?.sentence ?? '').not.toContain('Sign in');

  await page.getByRole('button', { name: 'Part Sign in' }).click();
  await expect(page.getByText('A change here changes it in these scripts too:')).toContainText('Book and find');
  await looksRight(page, 'part');
  await page.getByLabel('Name', { exact: true }).fill('Come in');
  await page.getByLabel('Name', { exact: true }).blur();
  await expect(page.getByText('The part was changed in Book and find too.')).toBeVisible();
  expect((await ask<Script>('GET', `/scripts/${bookId}`)).transactions[0]?.name).toBe('Come in');
});

test('a text is found and replaced, a piece is recorded anew, and the versions tell who changed what', async ({ page }) => {
  await page.goto(`${product}/board`);
  await page.getByRole('button', { name: 'Tidewell release 4.2' }).click();
  await page.getByRole('button', { name: 'Settings of this project' }).click();
  await page.getByLabel('Your name').fill('Mara');
  await page.getByRole('button', { name: 'Add a failure sign' }).click();
  await page.getByLabel('Sign 1', { exact: true }).fill('Book intake');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Recorded answers contain it, so good steps would fail:')).toBeVisible();
  await page.getByLabel('Sign 1', { exact: true }).fill('Your visit has ended');
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('No recorded answer contains it,')).toBeVisible();
  await looksRight(page, 'project');
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('dialog')).toHaveCount(0);

  await page.goto(`${product}/scripts/${bookId}`);
  await page.getByRole('button', { name: 'Find and replace' }).click();
  await page.getByLabel('Find', { exact: true }).fill('HeadlessChrome');
  await page.getByLabel('Replace by').fill('Chrome');
  await expect(page.getByText(/^\d+ places$/)).toBeVisible();
  await page.getByRole('region', { name: 'Places' }).getByRole('checkbox').first().uncheck();
  await looksRight(page, 'find and replace');
  await page.getByRole('button', { name: /^Replace in \d+ places$/ }).click();
  await expect.poll(async () => JSON.stringify(await ask<Script>('GET', `/scripts/${bookId}`)).split('HeadlessChrome').length - 1).toBe(1);

  // The booking is recorded anew: its page, what the page asks for, and what is sent.
  const steps = page.locator('.spine.action');
  await steps.filter({ hasText: 'GET' }).filter({ hasText: '/intakes/new' }).first().locator('.step').click();
  await steps
    .filter({ hasText: 'POST' })
    .filter({ hasText: '/intakes/new' })
    .locator('.step')
    .click({ modifiers: ['Shift'] });
  await page.getByRole('button', { name: 'Record anew…' }).click();
  await page.getByRole('combobox', { name: /^Take/ }).selectOption(takes[2] ?? '');
  const requests = page.getByRole('region', { name: 'Requests of the take' }).getByRole('button');
  await requests.filter({ hasText: 'GET' }).filter({ hasText: '/intakes/new' }).first().click();
  await requests.filter({ hasText: 'POST' }).filter({ hasText: '/intakes/new' }).click();
  await looksRight(page, 'piece of a take');
  await page.getByRole('button', { name: /^Put in \d+ requests$/ }).click();
  await expect(page.getByText(/steps were put in\. All that they send is read in this script\./)).toBeVisible();
  const script = await ask<Script>('GET', `/scripts/${bookId}`);
  expect(JSON.stringify(script)).toContain(container(510_002));
  const copyOfTake = (await ask<(Take & { madeFor?: string })[]>('GET', '/projects/p1/takes')).find(
    (candidate) => candidate.id === script.takeId,
  );
  expect(copyOfTake?.madeFor).toBe(bookId);
  // The typed container of the third take is taken by now, and the first rehearsal says so; repaired, it books another.
  const { rounds } = await ask<{ rounds: { rehearsal: Rehearsal }[] }>('POST', `/scripts/${bookId}/repair`, {});
  expect(rounds.at(-1)?.rehearsal.verdict).toBe('passed');

  await page.reload();
  await page.getByRole('link', { name: 'Versions' }).click();
  const versions = page.getByRole('list', { name: 'Versions' });
  await expect(versions).toContainText('A piece of “Take 3” put in');
  await expect(versions).toContainText('The part “Come in” was changed in “Only look”');
  await expect(versions.getByText(/^Mara/).first()).toBeVisible();
  await versions.getByRole('button', { name: /A piece of/ }).click();
  await expect(page.locator('.cm-changedLine').first()).toBeVisible();
  await looksRight(page, 'versions');
  await versions.getByRole('button', { name: /^made/ }).click();
  await page.getByRole('button', { name: /Have version \d+ back/ }).click();
  await expect(versions).toContainText('Back to version 1');
  expect((await ask<Script>('GET', `/scripts/${bookId}`)).handoffs).toEqual([]);
});
