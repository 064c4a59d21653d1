import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { BodyRef, Check, Script } from '@sturdy/core';
import { CompileError, rehearse, RehearsalThreads, StoodStill, type Row } from '../index.js';
import { environment, script, step } from '../test/plans.js';

/** Asking of each of so many members about all of them takes minutes. */
const many = Array.from({ length: 60_000 }, (_, at) => ({ at }));
let server: Server;
let origin = '';
const asked: string[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push(request.url ?? '');
    if (request.url === '/many') response.setHeader('Content-Type', 'application/json').end(JSON.stringify(many));
    else response.end(`Seen ${request.url}`);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

const threads = new RehearsalThreads();
afterAll(() => threads.close());

const kept = new Map<string, string>();
const ref = (bytes: Uint8Array, mimeType: string): BodyRef => ({ hash: '', size: bytes.length, mimeType });
const play = (ownScript: Script, more: Partial<Parameters<RehearsalThreads['rehearse']>[0]> = {}, by = threads) =>
  by.rehearse({
    script: ownScript,
    environment: environment(origin),
    listed: new Map(),
    dealtPerUse: new Set(),
    files: new Map(),
    deal: () => Promise.resolve(null),
    put: (bytes, mimeType) => {
      kept.set(Buffer.from(bytes).toString(), mimeType);
      return ref(bytes, mimeType);
    },
    onStep: () => undefined,
    gate: () => Promise.resolve('go'),
    ...more,
  });
const bound = (column: string) => [
  { kind: 'text' as const, text: '/row/' },
  { kind: 'data' as const, table: 'lots', column, recorded: 'x' },
];
const flow = (): Script =>
  script([
    step('s1', origin, '/one', { url: bound('lot') }),
    { kind: 'code', id: 'j', name: 'note', source: 'log(answer.body)', timeMs: 500, memoryMb: 16 },
    step('s2', origin, '/two'),
  ]);

describe('a rehearsal in a thread of its own', () => {
  it('captures what a rehearsal in this thread captures, with the rows that it is dealt and its bodies', async () => {
    const deal = (): Promise<Row> => Promise.resolve(new Map([['lot', '17']]));
    const seen: string[] = [];
    const captured = await play(flow(), { deal, onStep: (captured) => seen.push(captured.step) });
    const here = await rehearse({
      script: flow(),
      environment: environment(origin),
      deal,
      random: Math.random,
      put: ref,
      readFile: () => undefined,
    });
    const summaryOf = ({ steps, notes, missing, skipped }: typeof here) => ({
      steps: steps.map(
        (captured) =>
          captured.kind === 'request' && [captured.step, captured.request.url, captured.response?.status, captured.response?.body?.size],
      ),
      notes,
      missing,
      skipped,
    });
    expect(summaryOf(captured)).toEqual(summaryOf(here));
    expect(captured.notes).toMatchObject([{ step: 'j', kind: 'log', text: 'Seen /row/17' }]);
    expect(seen).toEqual(['s1', 's2']);
    expect([...kept.keys()]).toEqual(expect.arrayContaining(['Seen /row/17', 'Seen /two']));
  });

  it('asks before each step, and ends where it is told', async () => {
    asked.length = 0;
    const before: [string, number][] = [];
    const captured = await play(flow(), {
      gate: (at, soFar) => {
        before.push([at, soFar.steps.length]);
        return Promise.resolve(at === 's2' ? 'end' : 'go');
      },
    });
    expect(before.filter(([at]) => at !== 'j')).toEqual([
      ['s1', 0],
      ['s2', 1],
    ]);
    expect(captured).toMatchObject({ endedBefore: 's2', steps: [{ step: 's1' }] });
    expect(asked).toEqual(['/row/x']);
  });

  it('fails with what went wrong where rows are dealt, and with why it cannot be played', async () => {
    await expect(play(flow(), { deal: () => Promise.reject(new Error('No free row left')) })).rejects.toThrow('No free row left');
    await expect(play(script([step('s1', 'http://127.0.0.2:1', '/')]))).rejects.toThrow(CompileError);
    expect((await play(flow())).steps).toHaveLength(2);
  });

  it('has another thread where the one that waited is gone', async () => {
    const end = `import { parentPort as port } from 'node:worker_threads'; port.on('message', () => undefined); setTimeout(() => { throw new Error('no memory'); }, 300);`;
    const rehearsalThreads = new RehearsalThreads(new URL(`data:text/javascript,${encodeURIComponent(end)}`));
    rehearsalThreads.warmUp();
    await new Promise((done) => setTimeout(done, 1500));
    // The next thread of this kind ends as well, while it plays; the rehearsal says so.
    await expect(play(flow(), {}, rehearsalThreads)).rejects.toThrow('no memory');
    await rehearsalThreads.close();
  });

  it('is ended by force where its user stands still, and this thread goes on meanwhile', async () => {
    const impatient = new RehearsalThreads(undefined, 1500);
    const check: Check = {
      id: 'k',
      checked: { kind: 'count', extractor: { kind: 'jsonpath', path: '$..[?count($..*)>1]', pick: 'first' }, atLeast: 1, atMost: null },
      onFailure: 'mark',
    };
    const stuck = script([step('s1', origin, '/one'), step('s2', origin, '/many', { checks: [check] })]);
    let turns = 0;
    const turning = setInterval(() => turns++, 20);
    const failed = await play(stuck, {}, impatient).catch((error: unknown) => error);
    clearInterval(turning);
    expect(failed).toBeInstanceOf(StoodStill);
    expect(failed).toMatchObject({ after: 's1', seconds: 2 });
    expect(turns).toBeGreaterThan(20);
    expect((await play(flow(), {}, impatient)).steps).toHaveLength(2);
    await impatient.close();
  });
});
