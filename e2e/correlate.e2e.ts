import { expect, test } from '@playwright/test';
import type { DataTable, Rehearsal, Script, Take } from '@sturdy/core';
import { ask, container, looksRight, openStage, picture, product, recordTakes, upload, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

/** A script of Tidewell Yard that was correlated with two takes and passes, fed by 300 containers. */
let stage: Stage;
test.beforeAll(async () => {
  stage = await openStage();
  const [first, second] = await recordTakes(
    stage,
    [0, 1].map((index) => ({
      transactions: ['sign-in', 'book-intake', 'allocate-bay', 'release-load', 'sign-out'],
      container: container(500_000 + index),
      bayChoice: index,
    })),
    false,
  );
  const raw = await ask<Script>('POST', `/takes/${first ?? ''}/script`, { name: 'Book intake' });
  await ask('POST', `/scripts/${raw.id}/correlate`, { secondTakeId: second });
  const rows = Array.from({ length: 300 }, (_, index) => container(600_000 + index));
  const imported = await upload('/projects/p1/tables/import?name=containers', `container\n${rows.join('\n')}\n`);
  const { table } = imported.body as unknown as { table: DataTable };
  const script = await ask<Script>('GET', `/scripts/${raw.id}`);
  const booking = script.transactions
    .flatMap((transaction) => transaction.steps)
    .find((step) => step.kind === 'request' && step.name === 'POST /intakes/new');
  await ask('POST', `/scripts/${raw.id}/bind`, {
    value: container(500_000),
    places: [{ step: booking?.id, place: 'form:container' }],
    table: table.id,
    column: 'container',
  });
  for (let time = 0; time < 2; time++)
    expect((await ask<Rehearsal>('POST', `/scripts/${raw.id}/rehearse`)).divergence?.sentence ?? 'passed').toBe('passed');
});
test.afterAll(() => stage.close());

test('a handoff is read in another way, tried on every answer before it is taken', async ({ page }) => {
  await page.goto(`${product}/scripts`);
  await page.getByRole('link', { name: 'Book intake' }).click();
  await page.locator('.spine.action', { hasText: 'POST' }).filter({ hasText: '/intakes/new' }).locator('.step').click();
  await page.getByRole('tab', { name: /Handoffs/ }).click();
  await page.locator('app-step-drawer .note', { hasText: 'page state' }).getByRole('link', { name: 'How it is read' }).click();
  const answers = page.getByRole('table', { name: 'Answers on which it was tried' });
  await expect(answers.getByRole('row', { name: /^Take, step 4 .* right$/ })).toBeVisible();
  await expect(answers.getByRole('row', { name: /^Second take, step 4 .* right$/ })).toBeVisible();
  await expect(answers.getByRole('row', { name: /^Rehearsal 2, step 4 .* read$/ })).toBeVisible();
  await expect(page.locator('mark.picked')).toBeVisible();
  await looksRight(page, 'handoff');
  await picture(page, 'handoff');

  await page.getByRole('button', { name: 'Write your own' }).click();
  await page.getByRole('combobox', { name: /^Read/ }).selectOption({ label: 'an expression' });
  await page.getByLabel('Expression; its first group is read').fill('name="(page');
  await expect(page.getByRole('alert')).toContainText('missing closing )');
  await page.getByLabel('Expression; its first group is read').fill('name="(\\w+)"');
  await expect(answers.getByRole('row', { name: /^Take, .* wrong/ })).toBeVisible();
  await expect(page.getByText(/match 1 of \d/)).toBeVisible();
  await page.getByRole('radio', { name: /^the text between/ }).check();
  await expect(answers.getByRole('row', { name: /^Second take, .* right$/ })).toBeVisible();
  await page.getByRole('button', { name: 'Read it this way' }).click();
  await expect(page.getByText('This is how it is read now.')).toBeVisible();
  await page.getByRole('link', { name: 'Back to the script' }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await page.getByRole('button', { name: 'Start', exact: true }).click();
  await expect(page.getByText('Passed, unproven.')).toBeVisible();
});

test('a rehearsal is played step by step, ended early, and laid beside another', async ({ page }) => {
  await page.goto(`${product}/scripts`);
  await page.getByRole('link', { name: 'Book intake' }).click();
  await page.getByRole('button', { name: 'Choose how to rehearse' }).click();
  await page.getByLabel('Step by step').check();
  await page.getByLabel(/^Row of containers/).fill('290');
  await page.getByRole('button', { name: 'Start', exact: true }).click();
  await expect(page.getByText('It waits before step 1, GET /.')).toBeVisible();
  const before = stage.yard.truth().bookedCount;
  for (let step = 2; step <= 7; step++) {
    await page.getByRole('button', { name: 'Send this step' }).click();
    await expect(page.getByText(`It waits before step ${step},`)).toBeVisible();
  }
  expect(stage.yard.truth().bookedCount).toBe(before + 1);
  expect(stage.yard.truth().intakes.at(-1)?.container).toBe(container(600_289));
  await page
    .getByRole('navigation', { name: 'Steps' })
    .getByRole('button', { name: /6 POST/ })
    .click();
  await expect(page.getByText(/differs only in .*container/)).toBeVisible();
  await looksRight(page, 'waiting rehearsal');
  await page.getByRole('button', { name: 'End it here' }).click();
  await expect(page.getByText(/The steps before step 7, .* answered like the take/)).toBeVisible();
  await expect(page.getByText('Row 290 of containers was spent.')).toBeVisible();
  await page.getByLabel('beside').selectOption({ index: 2 });
  await expect(page.getByText('Rehearsal 2').first()).toBeVisible();
  await page.getByRole('tab', { name: 'Pages' }).click();
  await expect(page.locator('iframe').first().contentFrame().getByText('Tidewell Yard').first()).toBeVisible();
});

test('a value in doubt and a wrong handoff: candidates are tried in a rehearsal up to the step, then chosen', async ({ page }) => {
  const known = (await ask<Script[]>('GET', '/projects/p1/scripts')).find((script) => script.name === 'Book intake');
  const raw = await ask<Script>('POST', `/takes/${known?.takeId ?? ''}/script`, { name: 'Intake with doubts' });
  await ask('POST', `/scripts/${raw.id}/correlate`, { secondTakeId: null });
  const [table] = await ask<DataTable[]>('GET', '/projects/p1/tables');
  const booking = raw.transactions
    .flatMap((transaction) => transaction.steps)
    .find((step) => step.kind === 'request' && step.name === 'POST /intakes/new');
  await ask('POST', `/scripts/${raw.id}/bind`, {
    value: container(500_000),
    places: [{ step: booking?.id, place: 'form:container' }],
    table: table?.id,
    column: 'container',
  });
  await page.goto(`${product}/scripts/${raw.id}`);
  await page.getByRole('link', { name: 'Decide' }).click();
  await expect(page.getByRole('heading', { name: 'growerId' })).toBeVisible();
  await expect(page.getByText('The script was not rehearsed yet')).toBeVisible();
  const any = page.getByRole('region', { name: /GET \/api\/growers: any of/ });
  const before = stage.yard.truth().bookedCount;
  const asItWas = await ask<Script>('GET', `/scripts/${raw.id}`);
  await any.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByText('Step 6 passed with it in rehearsal 1. Use it, or try another.')).toBeVisible();
  await expect(any.getByText(/Rehearsal 1 sent \d+ and got 200, passed/)).toBeVisible();
  expect(stage.yard.truth().bookedCount).toBe(before + 1);
  expect(await ask<Script>('GET', `/scripts/${raw.id}`)).toEqual(asItWas);
  // A try is no rehearsal of the script.
  expect(await ask<Rehearsal[]>('GET', `/scripts/${raw.id}/rehearsals`)).toEqual([]);
  await any.getByRole('button', { name: 'See the answer' }).click();
  await expect(page.getByText(/places? differs?|Nothing differs/)).toBeVisible();
  await looksRight(page, 'values in doubt');
  await picture(page, 'sources');
  await any.getByRole('button', { name: 'Use it' }).click();
  await expect(any.getByText('in use')).toBeVisible();
  await page.getByRole('link', { name: 'Next value in doubt' }).click();
  await expect(page.getByRole('heading', { name: 'bay' })).toBeVisible();
  await expect(page.getByRole('navigation', { name: 'Values in doubt' }).getByText('growerId')).toHaveCount(0);

  // A handoff that reads the wrong thing: the rehearsal leaves the take there, and the right place is among the candidates.
  const decided = await ask<Script>('GET', `/scripts/${raw.id}`);
  const state = decided.handoffs.find((handoff) => handoff.name === 'page state');
  await ask('PUT', `/scripts/${raw.id}`, {
    ...decided,
    handoffs: decided.handoffs.map((handoff) =>
      handoff.id === state?.id ? { ...handoff, extractor: { kind: 'regex', pattern: '<(title)>', nth: 0 } } : handoff,
    ),
  });
  expect((await ask<Rehearsal>('POST', `/scripts/${raw.id}/rehearse`)).divergence?.number).toBe(6);
  await page.goto(`${product}/scripts/${raw.id}/sources`);
  await page.getByRole('link', { name: /page ?state/i }).click();
  await expect(page.getByText(/The last rehearsal \(2\) sent title and got/)).toBeVisible();
  const right = page.getByRole('region', { name: /the form field pageState/ });
  await right.getByRole('button', { name: 'Try it' }).click();
  await expect(right.getByText(/Rehearsal 3 sent \S+ and got 200, passed/)).toBeVisible();
  await right.getByRole('button', { name: 'Use it' }).click();
  await expect(right.getByText('in use')).toBeVisible();

  // What is left in doubt is told by the next rehearsal: the recorded bay is taken now.
  expect((await ask<Rehearsal>('POST', `/scripts/${raw.id}/rehearse`)).divergence?.number).toBe(9);
  await page.goto(`${product}/scripts/${raw.id}/sources`);
  await page.getByRole('link', { name: /bay C-/ }).click();
  await expect(page.getByText(/sent C-005 and got 422, failed: .*was taken/)).toBeVisible();
  const free = page.getByRole('region', { name: /GET \/api\/bays: any of/ });
  await free.getByRole('button', { name: 'Try it' }).click();
  await expect(free.getByText(/got 200, passed/)).toBeVisible();
  await free.getByRole('button', { name: 'Use it' }).click();
  await expect(free.getByText('in use')).toBeVisible();
  expect((await ask<Rehearsal>('POST', `/scripts/${raw.id}/rehearse`)).divergence?.sentence ?? 'passed').toBe('passed');
});

test('a script is changed as text: what is wrong is told with its line, what is right becomes the outline', async ({ page }) => {
  await page.goto(`${product}/scripts`);
  await page.getByRole('link', { name: 'Book intake' }).click();
  await page.getByRole('button', { name: 'Text', exact: true }).click();
  const text = page.getByLabel('The script as YAML');
  await expect(text).toContainText('name: Book intake');
  await looksRight(page, 'script as text');
  await picture(page, 'script-text');
  const name = text.locator('.cm-line', { hasText: 'name: Book intake' });
  await name.click();
  await page.keyboard.press('Home');
  await page.keyboard.type('nme: x');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Nothing is called “nme” here.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Line 2, column 1' })).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Book intake' })).toBeVisible();
  for (let time = 0; time < 3; time++) await page.keyboard.press('Control+z');
  await expect(page.getByText('The text and the outline are the same script.')).toBeVisible();
  await name.click();
  await page.keyboard.press('End');
  await page.keyboard.type(' by text');
  await expect(page.getByRole('heading', { name: 'Book intake by text' })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('heading', { name: 'Book intake', exact: true })).toBeVisible();
  await expect(name).toHaveText('name: Book intake');
  await page.getByRole('button', { name: 'Outline', exact: true }).click();
  await page.locator('.spine.action', { hasText: 'POST' }).filter({ hasText: '/sign-in' }).locator('.step').click();
  await page.locator('.bodybox .chip', { hasText: 'form key' }).click();
  await page.getByRole('button', { name: 'Send as recorded here' }).click();
  await expect(page.locator('.bodybox .chip', { hasText: 'form key' })).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect(page.locator('.bodybox .chip', { hasText: 'form key' })).toHaveCount(1);
});

test('a handoff pattern shows what it would find, is saved, exported, and taken away again', async ({ page }) => {
  await page.goto(`${product}/patterns`);
  await page.getByRole('button', { name: 'New pattern' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Key of a form');
  await page.getByLabel('Called (expression)').fill('(');
  await expect(page.getByRole('alert')).toContainText('The pattern “Key of a form” cannot be used');
  await page.getByLabel('Called (expression)').fill('^formKey$');
  await expect(page.getByText('3 sent values fit; 3 of them can be read from an earlier answer')).toBeVisible();
  await expect(
    page.getByRole('row', { name: /\d, POST \/sign-in form:formKey .* the form field formKey, answer of \d, GET \/sign-in/ }),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Save the pattern' }).click();
  await expect(page.getByText('your own')).toBeVisible();
  await looksRight(page, 'patterns');
  const file = await (await fetch(`${product}/api/projects/p1/patterns.yaml`)).text();
  expect(file).toContain('name: Key of a form');
  await page.getByRole('button', { name: 'Delete the pattern' }).click();
  await expect(page.getByText('your own')).toHaveCount(0);
  await page.locator('input[type=file]').setInputFiles({ name: 'patterns.yaml', mimeType: 'application/yaml', buffer: Buffer.from(file) });
  await expect(page.getByText('9 patterns came in.')).toBeVisible();
  await expect(page.getByText('your own')).toBeVisible();
});

/** A HAR of pages, each answering with the given text. */
const harOf = (pages: { method: string; url: string; body?: string; text: string }[]): string =>
  JSON.stringify({
    log: {
      version: '1.2',
      creator: { name: 'test', version: '1' },
      entries: pages.map(({ method, url, body, text }, at) => ({
        startedDateTime: new Date(Date.UTC(2026, 10, 23, 10, 0, 0, at * 100)).toISOString(),
        time: 10,
        request: {
          method,
          url,
          httpVersion: 'HTTP/1.1',
          headers: body === undefined ? [] : [{ name: 'Content-Type', value: 'application/x-www-form-urlencoded' }],
          queryString: [],
          cookies: [],
          headersSize: -1,
          bodySize: -1,
          ...(body === undefined ? {} : { postData: { mimeType: 'application/x-www-form-urlencoded', text: body } }),
        },
        response: {
          status: 200,
          statusText: 'OK',
          httpVersion: 'HTTP/1.1',
          headers: [{ name: 'Content-Type', value: 'text/html' }],
          cookies: [],
          redirectURL: '',
          headersSize: -1,
          bodySize: text.length,
          content: { size: text.length, mimeType: 'text/html', text },
        },
        cache: {},
        timings: { send: 1, wait: 8, receive: 1 },
      })),
    },
  });

async function importHar(name: string, har: string): Promise<string> {
  const { body } = await upload(`/projects/p1/takes/import?name=${name}`, har);
  return (body as unknown as { take: Take }).take.id;
}

test('a long correlation tells how far it is, is cancelled, and leaves the script as it was', async ({ page }) => {
  // Laying two long takes beside each other takes the longest: each request of the one is compared with each of the other.
  const takes: string[] = [];
  for (const [index, name] of ['Long', 'Long again'].entries()) {
    const asked = Array.from({ length: 4900 }, (_, at) => ({
      method: 'GET',
      url: `http://127.0.0.1:9/step/${at * 7 + index}/open`,
      text: `<p>${at}</p>`,
    }));
    takes.push(await importHar(name, harOf(asked)));
  }
  const script = await ask<Script>('POST', `/takes/${takes[0] ?? ''}/script`, { name: 'Long one' });
  await page.goto(`${product}/scripts/${script.id}`);
  await page.getByRole('button', { name: 'Correlate' }).click();
  await page.getByRole('button', { name: 'with Long again as second take' }).click();
  await expect(page.getByRole('status').getByText(/· \d+ %/)).toBeVisible();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText('Correlating was cancelled. The script is as it was.')).toBeVisible();
  expect((await ask<Script>('GET', `/scripts/${script.id}`)).handoffs).toEqual([]);
  await expect(page.getByRole('button', { name: 'Correlate' })).toBeEnabled();
});

test('a recorded page that tries to run script in the viewer only shows itself', async ({ page }) => {
  const hostile = `<title>Hostile</title><h1>Harmless words</h1><script>top.document.title='taken'; fetch('/api/projects')</script>
    <img src="x" onerror="top.document.title='taken'"><a href="javascript:top.document.title='taken'">go</a>
    <svg onload="top.document.title='taken'"></svg><iframe srcdoc="<script>top.document.title='taken'</script>"></iframe>
    <meta http-equiv="refresh" content="0;url=/api/projects">`;
  const take = await importHar('Hostile', harOf([{ method: 'GET', url: 'http://127.0.0.1:9/', text: hostile }]));
  const asked: string[] = [];
  page.on('request', (request) => asked.push(request.url()));
  await page.goto(`${product}/takes/${take}`);
  await page.getByRole('button', { name: /GET/ }).first().click();
  await page.getByRole('tab', { name: 'Response' }).click();
  await expect(page.getByText("top.document.title='taken'; fetch").first()).toBeVisible();
  await page.getByRole('tab', { name: 'Page' }).click();
  await expect(page.locator('iframe').contentFrame().getByText('Harmless words')).toBeVisible();
  await page.waitForTimeout(500);
  expect(await page.title()).not.toBe('taken');
  // The page is one frame that asks for nothing but what the take holds.
  expect(page.frames()).toHaveLength(2);
  expect(asked.filter((path) => path.endsWith('/page'))).toHaveLength(1);
});
