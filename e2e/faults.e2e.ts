import { expect, test } from '@playwright/test';
import type { Run, RunResult, Script, Workload, DataTable } from '../packages/core/src/index.js';
import { checkDigit, playYardRobot } from '../packages/standins/src/index.js';
import { ask, openStage, product, upload, type Stage } from './stage.js';

test.describe.configure({ mode: 'serial' });

let stage: Stage;
test.beforeAll(async () => {
  stage = await openStage();
});
test.afterAll(() => stage.close());

const harEntry = (url: string) => ({
  startedDateTime: '2026-11-23T10:00:00.000Z',
  time: 12,
  request: { method: 'GET', url, httpVersion: 'HTTP/1.1', headers: [], cookies: [], queryString: [], headersSize: -1, bodySize: 0 },
  response: {
    status: 200,
    statusText: 'OK',
    httpVersion: 'HTTP/1.1',
    headers: [{ name: 'Content-Type', value: 'text/plain' }],
    cookies: [],
    content: { size: 2000, mimeType: 'text/plain', text: 'x'.repeat(2000) },
    redirectURL: '',
    headersSize: -1,
    bodySize: -1,
  },
  cache: {},
  timings: { send: 0, wait: 10, receive: 2 },
});

test('what is no HAR is refused with what is wrong and what to do, as problem details', async () => {
  const broken = await upload('/projects/p1/takes/import?name=x', '{"a":');
  expect(broken.status).toBe(422);
  expect(broken.type).toContain('application/problem+json');
  expect(broken.body.detail).toContain('it has no log.entries. Export it again');
  const noHar = await upload('/projects/p1/takes/import?name=x', '{"a":1}');
  expect(noHar.body.detail).toContain('it has no log.entries. Export it again');
  expect(await ask('GET', '/projects/p1/takes')).toEqual([]);
});

test('a HAR of 50 MB with broken entries brings in the good ones and lists the others', async () => {
  const entries: unknown[] = Array.from({ length: 22_000 }, (_, index) => harEntry(`http://127.0.0.1:1/${index}`));
  entries[10] = { request: null };
  entries[20] = { ...harEntry('http://127.0.0.1:1/'), startedDateTime: 'yesterday' };
  entries[30] = harEntry('not an address');
  const text = JSON.stringify({ log: { version: '1.2', creator: { name: 'x', version: '1' }, entries } });
  expect(text.length).toBeGreaterThan(50e6);
  const done = await upload('/projects/p1/takes/import?name=Large', text);
  expect(done.body.exchangeCount).toBe(21_997);
  expect(done.body.problems?.map((problem) => problem.entry)).toEqual([11, 21, 31]);
  expect(done.body.problems?.[1]?.text).toContain('“yesterday” is no time');
});

test('a target that is not allowed is refused with how to allow it, and one that nobody has cleared with how to clear it', async () => {
  const take = await upload('/projects/p1/takes/import?name=Foreign', JSON.stringify({ log: { entries: [harEntry('http://10.1.2.3/')] } }));
  const { id } = (take.body as unknown as { take: { id: string } }).take;
  const script = await ask<Script>('POST', `/takes/${id}/script`, {
    name: 'Foreign',
  });
  await expect(ask('POST', `/scripts/${script.id}/rehearse`)).rejects.toThrow(
    /http:\/\/10\.1\.2\.3 is not a target of the environment “This machine”. Add it to the allowed targets/,
  );
  const [environment] = await ask<object[]>('GET', '/projects/p1/environments');
  await ask('PUT', '/projects/p1/environments/e1', { ...environment, targets: ['http://10.1.2.3'] });
  await expect(ask('POST', `/scripts/${script.id}/rehearse`)).rejects.toThrow(
    /http:\/\/10\.1\.2\.3 is not on this machine and is not cleared. Clear it first/,
  );
  await ask('PUT', '/projects/p1/environments/e1', environment);
});

test('a host that refuses, resets or answers garbage is named in the rehearsal, and the steps after it are not sent', async () => {
  const entries = ['/trouble/reset', '/'].map((target, index) => ({
    ...harEntry(stage.yard.origin + target),
    startedDateTime: `2026-11-23T10:00:0${index}.000Z`,
  }));
  const take = await upload('/projects/p1/takes/import?name=Trouble', JSON.stringify({ log: { entries } }));
  const { id } = (take.body as unknown as { take: { id: string } }).take;
  const script = await ask<Script>('POST', `/takes/${id}/script`, {
    name: 'Trouble',
  });
  interface Told {
    verdict: string;
    divergence: { sentence: string; cause: string };
    steps: { verdict: string }[];
  }
  const reset = await ask<Told>('POST', `/scripts/${script.id}/rehearse`);
  expect(reset.divergence.cause).toBe('unreachable');
  expect(reset.divergence.sentence).toMatch(/Step 1, GET \/trouble\/reset: .*(reset|closed) the connection/);
  expect(reset.steps.map((step) => step.verdict)).toEqual(['failed', 'not-sent']);
  const steps = script.transactions.flatMap((transaction) => transaction.steps);
  const renamed = (target: string): Script => ({
    ...script,
    transactions: [
      {
        kind: 'transaction',
        id: 't1',
        name: 'T',
        steps: steps.map((step, index) =>
          index === 0 && step.kind === 'request' ? { ...step, url: [{ kind: 'text', text: target }] } : step,
        ),
      },
    ],
  });
  await ask('PUT', `/scripts/${script.id}`, renamed('/trouble/garbage'));
  expect((await ask<Told>('POST', `/scripts/${script.id}/rehearse`)).divergence.sentence).toContain(
    'answered with something that is not HTTP',
  );
  const [environment] = await ask<object[]>('GET', '/projects/p1/environments');
  await ask('PUT', '/projects/p1/environments/e1', {
    ...environment,
    targets: [stage.yard.origin, 'http://127.0.0.1:1'],
    map: { [stage.yard.origin]: 'http://127.0.0.1:1' },
  });
  expect((await ask<Told>('POST', `/scripts/${script.id}/rehearse`)).divergence.sentence).toContain(
    'http://127.0.0.1:1 refused the connection',
  );
  await ask('PUT', '/projects/p1/environments/e1', { ...environment, targets: [stage.yard.origin], map: {} });
});

test('the API describes itself, refuses what does not fit, and keeps other sites out', async () => {
  const document = await ask<{ openapi: string; paths: Record<string, object> }>('GET', '/openapi.json');
  expect(document.openapi).toBe('3.1.0');
  const operations = Object.values(document.paths).flatMap((operation) => Object.keys(operation));
  expect(operations.length).toBeGreaterThan(35);
  expect(document.paths['/api/scripts/{scriptId}/rehearse']).toMatchObject({
    post: { responses: { '200': { content: { 'application/json': { schema: { type: 'object' } } } } } },
  });
  await expect(ask('POST', '/projects/p1/takes/record', { name: '  ' })).rejects.toThrow(/name: Give the take a name/);
  await expect(ask('GET', '/runs/nothing')).rejects.toThrow(/There is no run “nothing”/);
  const foreign = await fetch(`${product}/api/takes/record/stop`, { method: 'POST', headers: { Origin: 'http://elsewhere.example' } });
  expect(foreign.status).toBe(403);
});

test('a HAR goes through the product without losing anything that HAR defines', async () => {
  const har = {
    log: {
      version: '1.2',
      creator: { name: 'some browser', version: '9' },
      browser: { name: 'some browser', version: '9', comment: 'kept' },
      pages: [{ startedDateTime: '2026-11-23T10:00:00.000Z', id: 'page_1', title: 'Page', pageTimings: { onContentLoad: 20, onLoad: 50 } }],
      comment: 'the whole log',
      entries: [
        {
          ...harEntry('http://127.0.0.1:1/a?x=1'),
          pageref: 'page_1',
          serverIPAddress: '127.0.0.1',
          connection: '7',
          comment: 'an entry',
          cache: { beforeRequest: null },
          _priority: 'High',
        },
        {
          ...harEntry('http://127.0.0.1:1/b'),
          startedDateTime: '2026-11-23T10:00:01.000Z',
          request: {
            ...harEntry('http://127.0.0.1:1/b').request,
            method: 'POST',
            postData: {
              mimeType: 'application/x-www-form-urlencoded',
              text: 'a=1&b=2',
              params: [
                { name: 'a', value: '1' },
                { name: 'b', value: '2' },
              ],
            },
          },
          response: { ...harEntry('').response, content: { size: 3, mimeType: 'image/png', text: 'AQID', encoding: 'base64' } },
        },
      ],
    },
  };
  const imported = await upload('/projects/p1/takes/import?name=Whole', JSON.stringify(har));
  const { id } = (imported.body as unknown as { take: { id: string } }).take;
  const exported = await ask<unknown>('GET', `/takes/${id}/har?secrets=shown`);
  expect(exported).toEqual(har);
});

test('killed in the middle of a run: the run is interrupted, its figures are there, no row is dealt twice', async () => {
  const record = await ask<{ take: { id: string }; proxy: string }>('POST', '/projects/p1/takes/record', { name: 'Book' });
  const number = (serial: number) => {
    const firstTen = `TWCU${String(serial).padStart(6, '0')}`;
    return firstTen + String(checkDigit(firstTen));
  };
  await playYardRobot({
    origin: stage.yard.origin,
    proxy: record.proxy,
    transactions: ['sign-in', 'book-intake', 'allocate-bay', 'find-intake', 'release-load', 'sign-out'],
    container: number(1),
  });
  await ask('POST', '/takes/record/stop');
  const raw = await ask<Script>('POST', `/takes/${record.take.id}/script`, {
    name: 'Book',
  });
  await ask('POST', `/scripts/${raw.id}/correlate`, { secondTakeId: null });
  const repaired = await ask<{ rounds: { rehearsal: { verdict: string } }[] }>('POST', `/scripts/${raw.id}/repair`);
  expect(repaired.rounds.at(-1)?.rehearsal.verdict).toBe('passed');
  const table = await ask<DataTable>('POST', '/projects/p1/tables/generate', {
    name: 'C',
    columns: [{ kind: 'container', name: 'container', owner: 'TWCU' }],
    count: 2000,
    seed: 'crash',
  });
  const script = await ask<Script>('GET', `/scripts/${raw.id}`);
  const step = script.transactions
    .flatMap((transaction) => transaction.steps)
    .find((candidate) => candidate.kind === 'request' && candidate.method === 'POST' && candidate.name.endsWith('/intakes/new'));
  await ask('POST', `/scripts/${raw.id}/bind`, {
    value: number(1),
    places: [{ step: step?.id, place: 'form:container' }],
    table: table.id,
    column: 'container',
  });
  const workload = await ask<Workload>('POST', '/projects/p1/workloads', {
    name: 'W',
    generators: 2,
    seed: '1',
    criteria: [],
    crews: [
      {
        id: 'c1',
        name: 'C',
        scriptId: raw.id,
        users: 10,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing: { kind: 'start-to-start', seconds: 1 },
        onFailure: 'next-iteration',
      },
    ],
    curve: { rampUpSeconds: 0, holdSeconds: 60, rampDownSeconds: 0, atEnd: 'iteration' },
  });
  const booked = () => stage.yard.truth().intakes.map((intake) => intake.container);
  const before = booked().length;
  const run = await ask<Run>('POST', `/workloads/${workload.id}/run`);
  await expect(ask('POST', `/workloads/${workload.id}/run`)).rejects.toThrow(/Run 1 is still live/);
  const passed = async (id: string) => (await ask<RunResult>('GET', `/runs/${id}`)).iterationsPassed;
  await expect.poll(() => passed(run.id), { timeout: 40_000 }).toBeGreaterThan(20);
  await stage.kill();
  await stage.restart();
  const result = await ask<RunResult>('GET', `/runs/${run.id}`);
  expect(result.run.state).toBe('interrupted');
  expect(result.iterationsPassed).toBeGreaterThan(20);
  expect(result.trust.some((sign) => !sign.good && sign.sentence.includes('The server ended before the run did'))).toBe(true);
  const again = await ask<Run>('POST', `/workloads/${workload.id}/run`);
  await expect.poll(() => passed(again.id), { timeout: 40_000 }).toBeGreaterThan(20);
  await ask('POST', `/runs/${again.id}/finish`);
  await expect.poll(async () => (await ask<RunResult>('GET', `/runs/${again.id}`)).run.state, { timeout: 20_000 }).toBe('done');
  const second = await ask<RunResult>('GET', `/runs/${again.id}`);
  expect(second.iterationsFailed).toBe(0);
  const fed = booked().slice(before);
  expect(fed.length).toBeGreaterThan(result.iterationsPassed + 20);
  expect(new Set(fed).size).toBe(fed.length);
  // Rows that were leased when it crashed stay spent; those that nobody got in the second run are free again.
  const [spent] = await ask<DataTable[]>('GET', '/projects/p1/tables');
  expect(spent?.spentCount).toBeGreaterThanOrEqual(fed.length);
  expect(spent?.spentCount).toBeLessThanOrEqual(fed.length + 2 * 5 + 10);

  // An abort ends a run at once, without a verdict.
  const third = await ask<Run>('POST', `/workloads/${workload.id}/run`);
  await new Promise((done) => setTimeout(done, 2500));
  await ask('POST', `/runs/${third.id}/abort`);
  expect((await ask<RunResult>('GET', `/runs/${third.id}`)).run).toMatchObject({
    state: 'aborted',
    verdict: 'none',
    note: 'It was aborted by hand.',
  });
  await expect(ask('POST', `/runs/${third.id}/finish`)).rejects.toThrow(/This run is not live any more/);
});
