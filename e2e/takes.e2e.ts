import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import type { RequestExchange, RoundsDone, Script, Survey, Take } from '../packages/core/src/index.js';
import { CertificateAuthority } from '../packages/server/src/record/proxy/certificate-authority.js';
import { checkDigit, playYardRobot, startYard } from '../packages/standins/src/index.js';
import { ask, looksRight, openStage, product, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
const folder = mkdtempSync(join(tmpdir(), 'sturdy-takes-'));
test.beforeAll(async () => {
  stage = await openStage();
});
test.afterAll(async () => {
  await stage.close();
  rmSync(folder, { recursive: true, force: true });
});

const container = (serial: number): string => {
  const firstTen = `TWCU${String(serial).padStart(6, '0')}`;
  return firstTen + String(checkDigit(firstTen));
};
const mark = async (kind: 'begin' | 'end', text: string) => {
  await ask('POST', '/takes/record/marks', { kind, text });
};

test('Yard behind HTTPS, by HTTP/2: recorded, correlated, repaired, and its connections signed in by the environment', async () => {
  const authority = await CertificateAuthority.open(join(folder, 'targets'));
  const yard = await startYard({ port: 0, ...(await authority.issue('127.0.0.1')) });
  try {
    const [before] = await ask<Record<string, unknown>[]>('GET', '/projects/p1/environments');
    const environment = { ...before, targets: [stage.yard.origin, yard.origin] };
    await ask('PUT', '/projects/p1/environments/e1', environment);
    const { proxy } = await ask<{ proxy: string }>('POST', '/projects/p1/takes/record', { name: 'Secure' });
    // The certificate of Yard is not known yet: the recorder says so at once.
    await expect(
      playYardRobot({ origin: yard.origin, proxy, acceptsCertificates: true, transactions: ['sign-in'], container: container(1) }),
    ).rejects.toThrow();
    const live = await ask<{ recording: { warnings: { text: string }[] } }>('GET', '/live');
    expect(live.recording.warnings.map((warning) => warning.text).join()).toContain('was not accepted');
    await ask('POST', '/takes/record/stop');
    await ask('PUT', '/projects/p1/environments/e1', {
      ...environment,
      trust: { authorities: authority.certificatePem, checksCertificates: true },
    });
    const takes: string[] = [];
    for (const serial of [1, 2]) {
      const started = await ask<{ take: Take; proxy: string }>('POST', '/projects/p1/takes/record', { name: `Secure ${serial}` });
      await playYardRobot({
        origin: yard.origin,
        proxy: started.proxy,
        acceptsCertificates: true,
        transactions: ['sign-in', 'book-intake', 'allocate-bay', 'release-load', 'sign-out'],
        container: container(serial),
        bayChoice: serial,
        mark,
      });
      await ask('POST', '/takes/record/stop');
      takes.push(started.take.id);
    }
    const [first = '', second = ''] = takes;
    const { exchanges } = await ask<{ exchanges: RequestExchange[] }>('GET', `/takes/${first}`);
    expect(exchanges.length).toBeGreaterThan(15);
    expect(new Set(exchanges.map((exchange) => exchange.response?.httpVersion))).toEqual(new Set(['HTTP/2']));
    expect(exchanges.every((exchange) => exchange.failure === null)).toBe(true);
    const script = await ask<Script>('POST', `/takes/${first}/script`, { name: 'Secure' });
    await ask('POST', `/scripts/${script.id}/correlate`, { secondTakeId: second });
    const repaired = await ask<RoundsDone>('POST', `/scripts/${script.id}/repair`);
    const divergences = repaired.rounds.map(({ rehearsal }) => rehearsal.divergence?.sentence ?? rehearsal.verdict);
    expect([divergences, repaired.result]).toEqual([[expect.stringContaining('was booked before'), 'passed', 'passed'], 'proven']);
    await ask('PUT', '/projects/p1/environments/e1', { ...environment, targets: [stage.yard.origin] });
    for (const script of await ask<Script[]>('GET', '/projects/p1/scripts')) await ask('DELETE', `/scripts/${script.id}`);
    for (const take of await ask<Take[]>('GET', '/projects/p1/takes')) await ask('DELETE', `/takes/${take.id}`);
  } finally {
    await yard.stop();
  }
});

test('a take is looked over, searched, seen as pages, compared, and tidied into steps', async ({ page }) => {
  const problems: string[] = [];
  page.on('pageerror', (error) => problems.push(error.message));
  const noise = createServer((request, response) => {
    if (request.url === '/collect') response.writeHead(204).end();
    else response.writeHead(200, { 'Content-Type': 'application/json' }).end(JSON.stringify({ at: request.url }));
  });
  await new Promise<void>((done) => noise.listen(0, '127.0.0.1', done));
  const noiseOrigin = `http://127.0.0.1:${(noise.address() as AddressInfo).port}`;
  const [environment] = await ask<Record<string, unknown>[]>('GET', '/projects/p1/environments');
  await ask('PUT', '/projects/p1/environments/e1', { ...environment, targets: [stage.yard.origin, noiseOrigin] });
  for (const [index, name] of ['Busy 1', 'Busy 2'].entries()) {
    const { proxy } = await ask<{ proxy: string }>('POST', '/projects/p1/takes/record', { name });
    await playYardRobot({
      origin: stage.yard.origin,
      proxy,
      transactions: ['sign-in', 'book-intake'],
      container: container(700 + index),
      goods: index === 0 ? 'Frozen cod' : 'Frozen hake',
      mark,
    });
    if (index === 0) {
      const { hostname, port } = new URL(proxy);
      const through = (address: string, method = 'GET') =>
        new Promise((done) => {
          void import('node:http').then(({ request }) => {
            request({ host: hostname, port, path: address, method }, (answer) => answer.resume().on('end', done)).end();
          });
        });
      // As a timer of a page asks: by the clock, however long an answer takes.
      const started = Date.now();
      for (let round = 0; round < 5; round++) {
        await new Promise((done) => setTimeout(done, started + round * 1500 - Date.now()));
        await through(`${noiseOrigin}/news?since=${round}`);
      }
      await through(`${noiseOrigin}/collect`, 'POST');
      await through(`${stage.yard.origin}/trouble/nothing`);
    }
    await ask('POST', '/takes/record/stop');
  }
  noise.close();

  await page.goto(`${product}/takes`);
  await page.getByRole('link', { name: 'Busy 1' }).click();
  await page.getByLabel('Search the whole take').fill('frozen');
  await expect(page.getByText(/places with “frozen”/)).toBeVisible();
  await page.locator('.hits button').first().click();
  await page.getByRole('tab', { name: 'Request' }).click();
  await looksRight(page, 'search of a take');
  await page.getByLabel('Search the whole take').fill('');

  await page.getByRole('button', { name: /POST.*sign-in/ }).click();
  await page.getByRole('tab', { name: 'Request' }).click();
  await expect(page.locator('.drawer')).not.toContainText('kim-pass');
  await expect(page.locator('.drawer')).toContainText('password');
  await page.getByRole('button', { name: 'Show secrets' }).last().click();
  await expect(page.locator('.drawer')).toContainText('-pass');

  await page.getByRole('button', { name: /GET.*intakes\/new/ }).click();
  await page.getByRole('tab', { name: 'Page' }).click();
  const frame = page.frameLocator('iframe');
  await expect(frame.getByRole('heading', { name: 'Book intake' })).toBeVisible();
  expect(await frame.locator('script').count()).toBe(0);
  await page.getByRole('button', { name: 'Compare' }).click();
  await page
    .getByRole('button', { name: /GET.*\/sign-in/ })
    .first()
    .click();
  await expect(page.getByText('Response headers')).toBeVisible();
  await looksRight(page, 'two exchanges compared');
  await page.getByRole('button', { name: 'Stop comparing' }).click();

  await page.getByRole('tab', { name: /Tidy/ }).click();
  await expect(page.getByText('GET /news was asked 5 times, every 1.5 s')).toBeVisible();
  await expect(page.getByText('One request failed')).toBeVisible();
  await page.getByRole('button', { name: 'Leave it out' }).click();
  await looksRight(page, 'tidy');
  await page.getByLabel(`${noiseOrigin} stays`).check();
  await page.getByRole('button', { name: 'Make a script' }).click();
  await expect(page.getByText('5 times,')).toBeVisible();
  await looksRight(page, 'script with a repeat');
  const scripts = await ask<Script[]>('GET', '/projects/p1/scripts');
  expect(scripts[0]?.transactions.flatMap((transaction) => transaction.steps).some((step) => step.kind === 'repeat')).toBe(true);
  const rehearsal = await ask<{ steps: { verdict: string }[] }>('POST', `/scripts/${scripts[0]?.id ?? ''}/rehearse`).catch(() => null);
  expect(rehearsal).not.toBeNull();

  await page.goto(`${product}/takes`);
  await page.getByRole('link', { name: 'Busy 2' }).click();
  await page.getByRole('tab', { name: 'Beside another take' }).click();
  await page.getByLabel('Beside').selectOption({ label: 'Busy 1' });
  await expect(page.getByText('values differ')).toBeVisible();
  await expect(page.getByRole('cell', { name: 'Frozen hake' })).toBeVisible();
  await looksRight(page, 'two takes beside each other');
  expect(problems).toEqual([]);
});

test('secrets leave the product only when they are asked for', async () => {
  const [take] = (await ask<Take[]>('GET', '/projects/p1/takes')).filter((take) => take.name === 'Busy 1');
  const read = async (query: string) => (await fetch(`${product}/api/takes/${take?.id ?? ''}/har${query}`)).text();
  const [masked, whole] = [await read(''), await read('?secrets=shown')];
  expect(whole).toContain('-pass');
  expect(masked).not.toContain('-pass');
  const visit = /yard_visit=([\w-]+)/.exec(whole)?.[1] ?? 'none';
  expect(masked).not.toContain(visit);
  expect(JSON.parse(masked)).toMatchObject({ log: { version: '1.2' } });
  const survey = await ask<Survey>('GET', `/takes/${take?.id ?? ''}/survey`);
  expect(survey.played).toBeGreaterThan(5);
});

test('an administrator sees how the server is; the value of a secret variable is kept, and left out of what is shown', async ({ page }) => {
  await page.goto(`${product}/about`);
  await expect(page.locator('.state').filter({ hasText: 'Database' })).toContainText('answers');
  await expect(page.getByRole('row', { name: /Database, embedded .* MB/ })).toBeVisible();
  await looksRight(page, 'about this server');
  await page.getByRole('button', { name: 'Back up everything' }).click();
  await expect(page.getByRole('status').filter({ hasText: 'The backup lies on the machine of the server' })).toBeVisible({
    timeout: 30_000,
  });
  await expect(page.getByRole('row', { name: /Backups .* MB/ })).toBeVisible();
  await page.getByRole('button', { name: 'Change the environment' }).click();
  await page.getByRole('button', { name: 'Add a variable' }).click();
  await page.getByLabel('Name of the variable').fill('apiKey');
  await page.getByLabel('Value of apiKey').fill('medlar-5532');
  await page.getByLabel('secret').check();
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('button', { name: 'Change the environment' }).click();
  await expect(page.getByLabel('Value of apiKey')).toHaveAttribute('placeholder', 'kept, not shown');
  await expect(page.getByLabel('Value of apiKey')).toHaveValue('');
  expect(JSON.stringify(await ask('GET', '/projects/p1/environments'))).not.toContain('medlar');
});

test('what browsers wrote and pasted comes in: a HAR dropped on the page with its progress, and commands of curl', async ({ page }) => {
  const file = join(folder, 'robot.har');
  await playYardRobot({ origin: stage.yard.origin, transactions: ['sign-in'], container: container(9), recordHar: file });
  await page.goto(`${product}/takes`);
  await page.locator('input[type=file]').setInputFiles(file);
  await expect(page.getByRole('heading', { name: 'robot' })).toBeVisible();
  const entries = (JSON.parse(readFileSync(file, 'utf8')) as { log: { entries: unknown[] } }).log.entries.length;
  await expect(page.getByText(`Imported ${entries} exchanges.`)).toBeVisible();

  // Cancelling breaks the upload off, and nothing of it is kept.
  const before = (await ask<Take[]>('GET', '/projects/p1/takes')).length;
  await page.goto(`${product}/takes`);
  const entry = JSON.stringify((JSON.parse(readFileSync(file, 'utf8')) as { log: { entries: unknown[] } }).log.entries[0]);
  const large = join(folder, 'large.har');
  const { writeFileSync } = await import('node:fs');
  writeFileSync(large, `{"log":{"entries":[${Array(40_000).fill(entry).join(',')}]}}`);
  await page.locator('input[type=file]').setInputFiles(large);
  await expect(page.getByText('Importing:')).toBeVisible();
  await page.waitForTimeout(700);
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText('Importing:')).toBeHidden();
  await expect.poll(async () => (await ask<Take[]>('GET', '/projects/p1/takes')).length, { timeout: 60_000 }).toBe(before);

  await page.getByRole('button', { name: 'Paste cURL' }).click();
  await page.getByLabel(/Commands/).fill(`curl '${stage.yard.origin}/' -H 'Accept: text/html' --compressed\nwget x`);
  await looksRight(page, 'paste dialog');
  await page.getByRole('button', { name: 'Make a take' }).click();
  await expect(page.getByText('1 entries were left out; the first is entry 2: It starts with “wget”')).toBeVisible();
});

test('a recording is paused, marked by keys, discarded in part, and survives the end of the server', async ({ page }) => {
  await page.goto(`${product}/takes/record`);
  await page.getByLabel('What will you record?').fill('Kept');
  await page.getByRole('button', { name: 'Start recording' }).click();
  const proxy = await page.locator('.proxy').first().innerText();
  await playYardRobot({ origin: stage.yard.origin, proxy, transactions: ['sign-in'], container: container(11) });
  await expect(page.locator('.names button').first()).toBeVisible();
  await page.getByRole('heading', { name: 'Recording room' }).click();
  await page.keyboard.press('b');
  await expect(page.locator('.markline')).toHaveCount(1);
  await page.keyboard.press('p');
  await expect(page.locator('.state')).toContainText('Paused');
  await looksRight(page, 'recording room, paused');
  await page.keyboard.press('p');
  await expect(page.locator('.state')).toContainText('Recording');
  const count = (await ask<{ recording: { exchangeCount: number } }>('GET', '/live')).recording.exchangeCount;
  await page.keyboard.press('d');
  await page.getByLabel('How many exchanges').fill('2');
  await page.getByRole('button', { name: 'Discard them' }).click();
  await expect(page.locator('.state')).toContainText(`${count - 2} exchanges`);
  await page.getByRole('button', { name: 'how, and how to remove it afterwards' }).click();
  await expect(page.getByText('iPhone and iPad')).toBeVisible();
  await stage.kill();
  await stage.restart();
  const [take] = (await ask<(Take & { exchangeCount: number })[]>('GET', '/projects/p1/takes')).filter((take) => take.name === 'Kept');
  expect(take).toMatchObject({ state: 'done', exchangeCount: count - 2 });
});
