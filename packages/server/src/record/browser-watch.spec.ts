import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { plainEnvironment, type Gesture, type Take } from '@sturdy/core';
import type { Page } from 'playwright-core';
import { LiveHub } from '../live/live-hub.js';
import type { Store } from '../store/store-client.js';
import { openCleanPage } from '../test/clean-page.js';
import { Recorder } from './recorder.js';

/** A list of proposals that closes when its field is left, as many frameworks draw one; and what opens other things. */
const pages: Readonly<Record<string, string>> = {
  '/': `<h1>Desk</h1>
    <div role="group" aria-label="Grower"><input role="combobox" aria-label="Grower" id="pick"><ul id="list" role="listbox" hidden><li role="option">Alma</li><li role="option">Birch</li></ul></div>
    <label>Goods <input name="goods"></label> <label><input type="checkbox"> Cooled</label>
    <select aria-label="Zone"><option value="">choose</option><option value="1">Fish</option><option value="2">Fruit</option></select>
    <label><input type="radio" name="kind" checked onclick="document.title = 'kept'"> Whole</label>
    <button id="release">Release</button> <a href="/tab" target="_blank">Docket</a> <iframe src="/inner" name="inner"></iframe>
    <div id="wide"></div><script>
      pick.addEventListener('click', () => { list.hidden = false }); pick.addEventListener('blur', () => { list.hidden = true });
      list.addEventListener('mousedown', (event) => event.preventDefault());
      list.addEventListener('click', (event) => { pick.value = event.target.textContent; list.hidden = true });
      document.getElementById('release').addEventListener('click', () => { document.title = String(confirm('Release it?')) });
      wide.attachShadow({ mode: 'open' }).innerHTML = '<button>Weigh</button>';
    </script>`,
  '/inner': '<button>Inside</button>',
  '/tab': '<button>Print</button>',
  '/two': '<h1>Second page</h1>',
};
let folder: string;
let server: Server;
let origin: string;
let take: Take;
let gestures: Gesture[];

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-watch-'));
  server = createServer((request, response) => {
    response.setHeader('Content-Type', 'text/html').end(`<!doctype html><title>Desk</title>${pages[request.url ?? ''] ?? ''}`);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const store = { saveTake: () => Promise.resolve(), putBodies: () => Promise.resolve(), saveExchanges: () => Promise.resolve() };
  const recorder = new Recorder(store as unknown as Store, new LiveHub(), 0, folder);
  const environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] });
  await recorder.start('p', { name: 'Desk', forNetwork: false, bodyLimitBytes: 1 << 20 }, environment);
  const page = await openCleanPage(recorder, origin);
  await acts(page);
  take = await recorder.stop();
  gestures = take.gestures ?? [];
}, 60_000);
afterAll(() => {
  server.closeAllConnections();
  server.close();
  rmSync(folder, { recursive: true, force: true });
});

async function acts(page: Page): Promise<void> {
  const settled = () => new Promise((go) => setTimeout(go, 400));
  page.on('dialog', (dialog) => void dialog.accept());
  await page.getByRole('combobox', { name: 'Grower' }).click();
  await page.keyboard.type('al');
  await page.getByRole('option', { name: 'Alma' }).click();
  await page.getByLabel('Goods').click();
  await page.keyboard.type('Cod');
  await page.getByLabel('Cooled').check();
  await page.getByLabel('Zone').selectOption('2');
  await page.getByRole('radio', { name: 'Whole' }).click();
  await page.getByRole('button', { name: 'Release' }).click();
  await settled();
  await page.frameLocator('iframe').getByRole('button', { name: 'Inside' }).click();
  await page.getByRole('button', { name: 'Weigh' }).dblclick();
  const opened = page.context().waitForEvent('page');
  await page.getByRole('link', { name: 'Docket' }).click();
  const docket = await opened;
  await docket.getByRole('button', { name: 'Print' }).click();
  await settled();
  const session = await page.context().newCDPSession(page);
  for (const path of ['/two', '/', '/', '/two']) {
    await session.send('Page.navigate', { url: origin + path, transitionType: 'typed' });
    await page.waitForLoadState('load');
    await settled();
  }
  // What a page does by itself is no act of a person.
  await page.evaluate(() => {
    location.reload();
  });
  await settled();
  await page.evaluate(() => {
    history.back();
  });
  await settled();
}
const kinds = (): string[] =>
  gestures.map(({ act, tab }) => `${tab} ${act.kind}${act.kind === 'go-to' ? ` ${new URL(act.address).pathname}` : ''}`);

it('tells what a person did, in order: clicks, texts, ticks, choices, dialogs, tabs, addresses', () => {
  expect(kinds()).toEqual([
    '1 go-to /',
    '1 click',
    '1 type',
    '1 click',
    '1 type',
    '1 tick',
    '1 choose',
    '1 click',
    '1 click',
    '1 answer',
    '1 click',
    '1 double-click',
    '1 click',
    '2 click',
    '1 go-to /two',
    '1 go-to /',
    '1 go-to /',
    '1 go-to /two',
    '1 go-back',
  ]);
});

it('tells whether a field was left before the next act, and what could have been chosen as well', () => {
  const typed = gestures.flatMap(({ act }) => (act.kind === 'type' ? [[act.text, act.isLeft]] : []));
  expect(typed).toEqual([
    ['al', false],
    ['Cod', true],
  ]);
  const choice = gestures.find(({ act }) => act.kind === 'choose')?.act;
  expect(choice).toEqual({ kind: 'choose', options: [{ value: '2', label: 'Fruit' }], isFree: true });
});

it('aims into frames and open shadow roots', () => {
  const inside = gestures.find(({ aim }) => aim?.words === 'button “Inside”');
  expect(inside?.frames).toEqual([{ name: 'inner', path: '/inner' }]);
  const weigh = gestures.find(({ aim }) => aim?.words === 'button “Weigh”');
  expect(weigh?.aim?.ways[0]).toEqual({ kind: 'role', role: 'button', name: 'Weigh', found: 1 });
});
