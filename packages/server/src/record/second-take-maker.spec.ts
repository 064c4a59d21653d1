import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { plainEnvironment, type Environment, type Gesture, type PlayingProgress, type Take } from '@sturdy/core';
import { tasks } from '../compute/tasks.js';
import { LiveHub } from '../live/live-hub.js';
import type { StoredTake } from '../store/repository.js';
import type { Store } from '../store/store-client.js';
import { openCleanPage } from '../test/clean-page.js';
import { Recorder } from './recorder.js';
import { SecondTakeMaker } from './second-take-maker.js';

/** An application that knows its suppliers, takes each reference once, and has a guard that may be put in the way. */
const seen = new Set<string>();
let isGuarded = false;
const html = (title: string, body: string) => `<!doctype html><title>${title}</title><body>${body}</body>`;
const orderForm = `<form method="post" action="/orders"><label>Password <input type="password" name="password"></label>
  <label>Supplier <input name="supplier"></label><label>Reference <input name="reference"></label><button>Save</button></form>`;
async function answer(request: IncomingMessage): Promise<string> {
  if (request.url !== '/orders') return html('Order', isGuarded ? '<p>Closed today</p>' : orderForm);
  let text = '';
  for await (const part of request) text += String(part);
  const sent = new URLSearchParams(text);
  const reference = sent.get('reference') ?? '';
  if (sent.get('supplier') !== 'SUP-41')
    return html('Refused', '<p role="alert">There is no such supplier</p><a href="/">Another order</a>');
  if (seen.has(reference)) return html('Refused', '<p role="alert">This reference was used before</p><a href="/">Another order</a>');
  seen.add(reference);
  return html('Saved', `<p>Saved by ${sent.get('password') === 'quince' ? 'Mara' : 'nobody'}</p><a href="/">Another order</a>`);
}

let folder: string;
let server: Server;
let origin: string;
let environment: Environment;
const takes = new Map<string, Take>();
const exchanges = new Map<string, Map<number, StoredTake['exchanges'][number]>>();
const bodies = new Map<string, Uint8Array>();
const progress: PlayingProgress[] = [];
const store = {
  take: (id: string) => Promise.resolve(takes.get(id) ?? null),
  saveTake: (take: Take) => Promise.resolve(void takes.set(take.id, take)),
  deleteTake: (id: string) => Promise.resolve(void takes.delete(id)),
  putBodies: (some: { hash: string; bytes: Uint8Array }[]) => {
    for (const { hash, bytes } of some) bodies.set(hash, bytes);
    return Promise.resolve();
  },
  saveExchanges: (id: string, some: StoredTake['exchanges']) => {
    const known = exchanges.get(id) ?? new Map<number, StoredTake['exchanges'][number]>();
    exchanges.set(id, known);
    for (const exchange of some) known.set(exchange.n, exchange);
    return Promise.resolve();
  },
  loadTake: (id: string) => {
    const take = takes.get(id);
    const texts = Object.fromEntries([...bodies].map(([hash, bytes]) => [hash, Buffer.from(bytes).toString('utf8')]));
    return Promise.resolve(take ? { take, exchanges: [...(exchanges.get(id)?.values() ?? [])], bodies: texts, bytes: {} } : null);
  },
} as unknown as Store;
let recorder: Recorder;
let maker: SecondTakeMaker;
let take: Take;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-second-'));
  server = createServer((request, response) => {
    void answer(request).then((page) => {
      response.statusCode = page.includes('Refused') ? 422 : 200;
      response.setHeader('Content-Type', 'text/html').end(page);
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] });
  recorder = new Recorder(store, new LiveHub(), 0, folder);
  const told = {
    tell: (_topic: string, kind: string, data: unknown) => {
      if (kind === 'playing') progress.push(data as PlayingProgress);
    },
  };
  maker = new SecondTakeMaker(store, { typedTexts: (stored) => Promise.resolve(tasks.typedTexts(stored)) }, recorder, told);
  take = await recorded();
}, 60_000);
afterAll(() => {
  server.closeAllConnections();
  server.close();
  rmSync(folder, { recursive: true, force: true });
});

/** Records an order as a person gives it, in the clean browser of the recorder. */
async function recorded(): Promise<Take> {
  await recorder.start('p', { name: 'Order', forNetwork: false, bodyLimitBytes: 1 << 20 }, environment);
  const page = await openCleanPage(recorder, origin);
  await page.waitForSelector('button');
  await recorder.mark('begin', 'Order');
  for (const [label, text] of [
    ['Password', 'quince'],
    ['Supplier', 'SUP-41'],
    ['Reference', 'Northern quay'],
  ] as const) {
    await page.getByLabel(label).click();
    await page.keyboard.type(text, { delay: 10 });
  }
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('link', { name: 'Another order' }).click();
  await page.waitForSelector('button');
  await new Promise((done) => setTimeout(done, 300));
  return recorder.stop();
}
const acts = (of: Take): string[] => (of.gestures ?? []).map(({ act }) => (act.kind === 'type' ? `type ${act.text}` : act.kind));

it('a take holds what a person did, with passwords masked', () => {
  expect(acts(take)).toEqual(['go-to', 'type ', 'type SUP-41', 'type Northern quay', 'click', 'click']);
  expect(JSON.stringify(take)).not.toContain('quince');
  const [, , supplier] = take.gestures ?? [];
  expect(supplier?.aim?.ways.map(({ kind, found }) => [kind, found]).slice(0, 2)).toEqual([
    ['role', 1],
    ['label', 1],
  ]);
  const times = (take.gestures ?? []).map(({ atMs }) => atMs);
  expect(times).toEqual([...times].sort((left, right) => left - right));
});

describe('a second take that makes itself', () => {
  it('plays the gestures again, with other values where these lead on, and as recorded where they led astray', async () => {
    const made = await maker.make(take.id, environment, false);
    expect(made).toMatchObject({ played: 6, total: 6, failure: null, drifted: [] });
    // Another supplier is not known, so that was tried anew; the reference could not stay as it was.
    expect(made.asRecorded.map(({ words }) => words)).toEqual(['Type “SUP-41” into the field “Supplier”']);
    expect(made.changed.map(({ words }) => words)).toEqual([
      expect.stringMatching(/^Type “[A-Z][a-z]{7} [a-z]{4}” into the field “Reference”$/),
    ]);
    expect(made.rounds).toBeGreaterThan(1);
    const second = made.take && takes.get(made.take.id);
    expect(second).toMatchObject({
      name: 'Order, second take',
      playedFrom: take.id,
      state: 'done',
      marks: [{ kind: 'begin', text: 'Order' }],
    });
    // The password was known by the name of its field, and is not in the gestures of the second take either.
    const posts = [...(exchanges.get(second?.id ?? '')?.values() ?? [])].filter(
      (exchange) => exchange.kind === 'request' && exchange.method === 'POST',
    );
    expect(posts).toHaveLength(1);
    expect(second && acts(second)).toEqual(['go-to', 'type ', 'type SUP-41', expect.stringContaining('type '), 'click', 'click']);
    // Nothing is left of the rounds before.
    expect(takes.size).toBe(2);
    expect(progress.at(0)).toMatchObject({ done: 0, total: 6, round: 1, waitsFor: null });
    expect(recorder.current).toBeNull();
  }, 120_000);

  it('tells which gesture could not be played, and why', async () => {
    isGuarded = true;
    const made = await maker.make(take.id, environment, false);
    isGuarded = false;
    expect(made).toMatchObject({
      take: null,
      played: 1,
      failure: { n: 2, sentence: expect.stringMatching(/^Nothing on the page is the field “Password”/) as string },
    });
    expect(recorder.current).toBeNull();
  }, 120_000);

  it('is given up on request, and nothing of it is kept', async () => {
    const before = takes.size;
    const making = maker.make(take.id, environment, false);
    await expect(maker.make(take.id, environment, false)).rejects.toThrow('One at a time');
    expect([maker.cancel(take.id), maker.cancel('other')]).toEqual([true, false]);
    expect(await making).toMatchObject({ take: null, failure: { sentence: 'It was canceled.' } });
    expect(takes.size).toBe(before);
    expect(() => {
      maker.answer(take.id, true);
    }).toThrow('goes on by itself');
  }, 60_000);

  it('ends where somebody stops the recording meanwhile, and says so', async () => {
    const making = maker.make(take.id, environment, false);
    const ended = expect(making).rejects.toThrow('Somebody stopped the recording while the second take was made.');
    while (!recorder.current || recorder.current.exchangeCount === 0) await new Promise((go) => setTimeout(go, 50));
    const { id } = await recorder.stop();
    await ended;
    expect(takes.has(id)).toBe(true);
    takes.delete(id);
  }, 60_000);

  it('wants gestures', async () => {
    const { gestures: _gestures, ...without } = take;
    takes.set('bare', { ...without, id: 'bare' });
    await expect(maker.make('bare', environment, false)).rejects.toThrow(/Gestures are recorded in the clean browser/);
    await expect(maker.make('nowhere', environment, false)).rejects.toThrow();
  });
});

it('a double click is told once, and what was done while the recording paused is not kept', async () => {
  await recorder.start('p', { name: 'Clicks', forNetwork: false, bodyLimitBytes: 1 << 20 }, environment);
  const click = (kind: 'click' | 'double-click'): Omit<Gesture, 'n' | 'atMs' | 'untilMs'> & { at: number; until: number } => ({
    act: { kind },
    aim: { words: 'row “IN-1”', ways: [] },
    tab: 1,
    frames: [],
    at: Date.now(),
    until: Date.now(),
  });
  for (const kind of ['click', 'click', 'double-click'] as const) recorder.noteGesture(click(kind));
  await recorder.pause(true);
  recorder.noteGesture(click('click'));
  await recorder.pause(false);
  expect(acts(await recorder.stop())).toEqual(['double-click']);
});
