import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  KnownSecrets,
  plainEnvironment,
  plainSettings,
  Refusal,
  type Environment,
  type Project,
  type ProjectState,
  type ProjectSummary,
} from '@sturdy/core';
import request from 'supertest';
import * as z from 'zod';
import express from 'express';
import { Environments } from '../environments/environments.js';
import { ServerLog } from '../log/server-log.js';
import { Problem } from '../problem/problem.js';
import { Projects } from '../projects/projects.js';
import { allRoutes, createApp } from './app.js';
import { mount, openApi, route } from './route.js';
import type { Services } from './services.js';

const environment: Environment = {
  ...plainEnvironment({ id: 'e1', projectId: 'p1', name: 'Here', targets: ['http://127.0.0.1:1'] }),
  credentials: [{ kind: 'basic', origin: '*', user: 'kim', password: 'quince-7781' }],
};
const saved: unknown[] = [];
/** Projects whose schedules pass over what was due. */
const passedOver: string[] = [];
const projectOf = (id: string, state: ProjectState): Project => ({ id, name: `Project ${id}`, state });
const summary: ProjectSummary = { ...projectOf('p1', 'active'), takes: 1, workloads: 0, runs: 0, rehearsals: [], lastRun: null };
const log = new ServerLog(null);
const store = {
  project: (id: string) => Promise.resolve({ p1: projectOf(id, 'active'), gone: projectOf(id, 'deleted') }[id] ?? null),
  projects: () => Promise.resolve([projectOf('p1', 'active'), projectOf('gone', 'deleted')]),
  projectSummaries: () => Promise.resolve([summary]),
  saveProject: (saving: unknown) => Promise.resolve(void saved.push(saving)),
  saveProjectConsidered: (id: string) => Promise.resolve(void passedOver.push(id)),
  deleteProject: () => Promise.resolve(['r1']),
  projectSettings: () => Promise.resolve(plainSettings),
  environments: () => Promise.resolve([environment]),
  saveEnvironment: (saving: unknown) => Promise.resolve(void saved.push(saving)),
  deleteEnvironment: () => Promise.resolve(),
  addHistory: () => Promise.resolve(),
  take: () => Promise.resolve(null),
  tables: () => Promise.resolve([]),
  body: () => Promise.resolve({ bytes: Buffer.from('<script>alert(1)</script>'), mimeType: 'text/html' }),
  run: () => Promise.reject(new Error('the disk is full')),
};
const deletedSamples: string[] = [];
const services = {
  store,
  projects: new Projects(store, {
    underWay: (id) => (id === 'p1' ? 'run 3 goes on in it' : null),
    deleteSamples: (runId) => Promise.resolve(void deletedSamples.push(runId)),
  }),
  environments: new Environments(store),
  recorder: { current: null, start: () => Promise.reject(new Problem(409, 'Already recording', 'Stop it first.')) },
  conductor: { current: null },
  log,
  secrets: { of: () => Promise.resolve(new KnownSecrets(['the disk'])) },
} as unknown as Services;
const app = createApp(services, '/nowhere');
const local = (agent: request.Test) => agent.set('Host', '127.0.0.1:4300');

beforeEach(() => {
  saved.length = 0;
});

describe('the API', () => {
  it('answers what its schema says', async () => {
    const answer = await local(request(app).get('/api/projects'));
    expect([answer.status, answer.body]).toEqual([200, [summary]]);
  });

  it('makes projects and names them, deletes them in two steps, and lets nothing be done in one that is deleted or not there', async () => {
    const ask = async (method: 'get' | 'post' | 'put' | 'delete', path: string, body?: object): Promise<[number, string]> => {
      const answer = await local(request(app)[method](`/api/projects${path}`).send(body));
      return [answer.status, (answer.body as { detail?: string }).detail ?? JSON.stringify(answer.body)];
    };
    expect(await ask('post', '', { name: ' ' })).toEqual([400, expect.stringContaining('Give the project a name.')]);
    expect(await ask('post', '', { name: 'Project p1' })).toEqual([
      409,
      expect.stringContaining('There is a project “Project p1” already.'),
    ]);
    expect(await ask('post', '', { name: 'Next', targets: ['nonsense'] })).toEqual([422, expect.stringContaining('nonsense')]);
    expect(saved).toEqual([]);
    // The name of a deleted one is free again.
    expect(await ask('post', '', { name: 'Project gone', targets: ['http://127.0.0.1:8'] })).toMatchObject([
      200,
      expect.stringContaining('"state":"active"'),
    ]);
    expect(saved).toMatchObject([{ name: 'Project gone' }, { id: 'e1', name: 'This machine', targets: ['http://127.0.0.1:8'] }]);
    expect(await ask('put', '/p1', { name: 'Project p1', state: 'deleted' })).toEqual([
      409,
      expect.stringContaining('“Project p1” cannot be deleted now: run 3 goes on in it.'),
    ]);
    expect(await ask('put', '/p1', { name: 'Release 4.3', state: 'active' })).toMatchObject([200, expect.stringContaining('Release 4.3')]);
    expect(await ask('delete', '/p1')).toEqual([409, expect.stringContaining('“Project p1” is not deleted yet.')]);
    expect(await ask('get', '/gone/environments')).toEqual([409, expect.stringContaining('“Project gone” was deleted.')]);
    expect(await ask('get', '/none/environments')).toEqual([404, expect.stringContaining('There is no project “none”.')]);
    expect(await ask('delete', '/gone')).toEqual([200, '{}']);
    expect(deletedSamples).toEqual(['r1']);
  });

  it('passes over what was due in a project that is had back, and in no other', async () => {
    for (const id of ['gone', 'p1'])
      await local(
        request(app)
          .put(`/api/projects/${id}`)
          .send({ name: `Back ${id}`, state: 'active' }),
      ).expect(200);
    expect(passedOver).toEqual(['gone']);
  });

  it('tells every error as problem details (RFC 9457): from a schema, from the work, from the unknown, from a fault', async () => {
    const problemOf = async (test: request.Test) => {
      const answer = await local(test);
      expect(answer.headers['content-type']).toContain('application/problem+json');
      expect(answer.body).toMatchObject({ type: 'about:blank', status: answer.status });
      return answer.body as { status: number; detail: string };
    };
    expect(await problemOf(request(app).post('/api/projects/p1/takes/record').send({ name: '' }))).toMatchObject({
      status: 400,
      detail: expect.stringContaining('In the body: name: Give the take a name.') as string,
    });
    expect(await problemOf(request(app).post('/api/projects/p1/takes/record').send({ name: 'x' }))).toMatchObject({
      status: 409,
      detail: 'Stop it first.',
    });
    expect(await problemOf(request(app).get('/api/takes/none'))).toMatchObject({
      status: 404,
      detail: expect.stringContaining('There is no take “none”') as string,
    });
    expect(await problemOf(request(app).get('/api/nothing'))).toMatchObject({
      status: 404,
      detail: expect.stringContaining('GET /api/nothing is not part of the API') as string,
    });
    const terminal = jest.spyOn(process.stderr, 'write').mockReturnValue(true);
    const fault = await problemOf(request(app).get('/api/runs/x'));
    const written = terminal.mock.calls.map(([text]) => String(text)).join('');
    terminal.mockRestore();
    expect([fault.status, fault.detail]).toEqual([500, expect.not.stringContaining('the disk is full')]);
    const number = /under the number (\w{8})/.exec(fault.detail)?.[1] ?? 'none';
    expect(written).toMatch(new RegExp(`fault ${number} GET /api/runs/x; stack .*the disk is full`));
    expect(
      await problemOf(request(app).post('/api/projects/p1/takes/record').set('Content-Type', 'application/json').send('{"a"')),
    ).toMatchObject({ status: 400, detail: expect.stringContaining('not valid JSON') as string });
  });

  it('gives no secret of an environment, keeps those that are sent back as they were shown, and sends none elsewhere', async () => {
    const put = (body: object) => local(request(app).put('/api/projects/p1/environments/e1').send(body));
    const shown = await local(request(app).get('/api/projects/p1/environments'));
    expect(JSON.stringify(shown.body)).not.toContain('quince');
    const [shownEnvironment] = shown.body as [Environment];
    const kept = await put({ ...shownEnvironment, name: 'There' });
    expect([kept.status, JSON.stringify(kept.body).includes('quince')]).toEqual([200, false]);
    expect(saved).toMatchObject([{ name: 'There', credentials: [{ password: 'quince-7781' }] }]);
    const moved = await put({ ...shownEnvironment, credentials: [{ ...shownEnvironment.credentials[0], origin: 'http://127.0.0.1:9' }] });
    expect([moved.status, saved.length]).toEqual([422, 1]);
    expect(moved.body).toMatchObject({ detail: expect.stringContaining('Write it anew') as string });
  });

  it('answers odd addresses and bodies as the client’s mistake, and lets no cache keep an answer', async () => {
    const post = (type: string) => request(app).post('/api/projects/p1/takes/record').set('Content-Type', type).send('{}');
    const statuses = [
      request(app).get('/api/takes/%FF'),
      request(app).get('/api/takes/t1/exchanges/99999999999999999999/curl'),
      request(app).get('/api/takes/t1/exchanges/-99999999999/curl'),
      post('application/json; charset=x-none'),
      request(app).post('/api/projects/p1/takes/record').set('Content-Type', 'application/json').set('Content-Encoding', 'none').send('{}'),
    ];
    for (const status of statuses) {
      const answer = await local(status);
      expect([answer.status >= 400 && answer.status < 500, answer.headers['content-type']]).toEqual([
        true,
        expect.stringContaining('application/problem+json'),
      ]);
    }
    expect((await local(request(app).get('/api/projects'))).headers['cache-control']).toBe('no-store');
  });

  it('refuses targets that are no origin or never allowed, and keeps of the others no clearance that was not given', async () => {
    const put = (targets: string[], more: object = {}) =>
      local(
        request(app)
          .put('/api/projects/p1/environments/e1')
          .send({ ...environment, targets, ...more }),
      );
    const refused = async (...args: Parameters<typeof put>) => ((await put(...args)).body as { detail: string }).detail;
    expect(await refused(['http://127.0.0.1:1/path'])).toContain('is not an origin');
    expect(await refused(['http://169.254.169.254'])).toContain('Nothing is ever sent to http://169.254.169.254');
    expect(await refused(['http://127.0.0.1:1'], { upstreamProxy: 'http://proxy.example:3128' })).toContain(
      'proxy.example:3128 is not on this machine',
    );
    expect(await refused(['http://192.168.1.1'], { upstreamProxy: 'http://127.0.0.1:3128' })).toContain(
      'cannot be tested through the proxy',
    );
    expect(saved).toEqual([]);
    const clearance = { origin: 'http://192.168.1.1', by: 'Mara', for: 'a test', until: '2099-01-01', addresses: ['192.168.1.1'] };
    expect((await put(['http://192.168.1.1', 'http://[::1]:8080'], { clearances: [clearance] })).status).toBe(200);
    expect(saved).toMatchObject([{ targets: ['http://192.168.1.1', 'http://[::1]:8080'], clearances: [] }]);
  });

  it('keeps other sites out: a foreign Host (DNS rebinding), a change from a page of another origin', async () => {
    expect((await request(app).get('/api/projects').set('Host', 'evil.example')).status).toBe(403);
    expect((await local(request(app).post('/api/takes/record/stop')).set('Origin', 'http://evil.example')).status).toBe(403);
  });

  it('never lets a recorded page run: bodies are plain text in a sandbox', async () => {
    const answer = await local(request(app).get(`/api/bodies/${'a'.repeat(64)}`));
    expect(answer.headers['content-type']).toContain('text/plain');
    expect(answer.headers['content-security-policy']).toContain('sandbox');
    expect(answer.text).toBe('<script>alert(1)</script>');
  });
});

describe('the OpenAPI document', () => {
  const document = openApi(allRoutes(services)) as {
    paths: Record<string, Record<string, { operationId: string; parameters: { name: string; in: string; required: boolean }[] }>>;
  };

  it('names every operation once, with its parameters', () => {
    const operations = Object.values(document.paths).flatMap((methods) => Object.values(methods));
    const ids = operations.map((operation) => operation.operationId);
    expect(new Set(ids).size).toBe(ids.length);
    expect(document.paths['/api/tables/{tableId}/rows']?.['get']?.parameters).toEqual([
      expect.objectContaining({ name: 'tableId', in: 'path', required: true }) as object,
      expect.objectContaining({ name: 'from', in: 'query', required: false }) as object,
      expect.objectContaining({ name: 'count', in: 'query', required: false }) as object,
    ]);
  });

  it('is made from the schema that validates', async () => {
    const anyRoute = route({
      method: 'post',
      path: '/double',
      summary: 'Doubles',
      body: z.object({ n: z.number().max(9) }),
      result: z.object({ n: z.number() }),
      handle: ({ body }) => ({ n: body.n * 2 }),
    });
    expect(openApi([anyRoute])['paths']).toMatchObject({
      '/api/double': {
        post: { requestBody: { content: { 'application/json': { schema: { properties: { n: { type: 'number', maximum: 9 } } } } } } },
      },
    });
    const small = express()
      .use(express.json())
      .use('/api', mount([anyRoute]));
    expect((await request(small).post('/api/double').send({ n: 4 })).body).toEqual({ n: 8 });
    expect((await request(small).post('/api/double').send({ n: 10 })).status).toBe(400);
  });
});

describe('the page of the web client', () => {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-web-'));
  writeFileSync(join(folder, 'index.html'), '<html><body><app-root></app-root></body></html>');
  afterAll(() => {
    rmSync(folder, { recursive: true, force: true });
  });

  it('may run its own scripts only, and take styles with a nonce that is new for each page', async () => {
    const open = async (path: string) => {
      const answer = await local(request(createApp(services, folder)).get(path));
      const policy = answer.headers['content-security-policy'] ?? '';
      const nonce = /style-src 'self' 'nonce-([^']{20,})'/.exec(policy)?.[1] ?? 'none';
      expect(answer.text).toContain(`<app-root ngCspNonce="${nonce}">`);
      expect(policy).toContain("default-src 'self'");
      expect(policy).toContain("script-src 'self'");
      expect(policy).toContain("script-src-attr 'none'");
      expect(policy).toContain("frame-ancestors 'self'");
      expect(answer.headers).toMatchObject({
        'cache-control': 'no-store',
        'x-content-type-options': 'nosniff',
        'referrer-policy': 'no-referrer',
      });
      expect(answer.headers['x-powered-by']).toBeUndefined();
      return nonce;
    };
    expect(await open('/')).not.toBe(await open('/takes/record'));
  });
});

describe('what the store cannot do at the moment', () => {
  const failing = (name: string, message: string) => ({
    ...services,
    store: { projectSummaries: () => Promise.reject(Object.assign(new Error(message), { name })) },
  });

  it.each([
    ['DatabaseAwayError', 503, 'The database does not answer'],
    ['NoRoomError', 507, 'The disk takes no more'],
  ])('is told with what to do, and is no fault: %s', async (name, status, title) => {
    const ownExpress = createApp(failing(name, 'Make room, or see whether it runs.') as unknown as Services, '/nowhere');
    const answer = await local(request(ownExpress).get('/api/projects'));
    expect(answer.body).toMatchObject({ status, title, detail: 'Make room, or see whether it runs.' });
  });

  it.each([
    [
      'a refusal is for whoever asked',
      new Refusal('This is the last column. Delete the table instead.'),
      422,
      'This is the last column. Delete the table instead.',
    ],
    ['a fault of the database is none', new Error('relation "data_rows" does not exist'), 500, expect.stringContaining('does not know')],
    [
      'a fault of the program is none, whatever status it has',
      Object.assign(new Error('x'), { status: 404 }),
      500,
      expect.stringContaining('does not know'),
    ],
    [
      'a text that cannot be decoded within the program is none',
      new URIError('URI malformed'),
      500,
      expect.stringContaining('does not know'),
    ],
  ])('%s: a change of a table', async (_, error, status, detail: unknown) => {
    const terminal = jest.spyOn(process.stderr, 'write').mockReturnValue(true);
    const table = { id: 't1', projectId: 'p1', name: 'T', columns: [], rowCount: 1, spentCount: 0, version: 0 };
    const store = { table: () => Promise.resolve(table), tables: () => Promise.resolve([table]), changeTable: () => Promise.reject(error) };
    const ownExpress = createApp({ ...services, store } as unknown as Services, '/nowhere');
    const answer = await local(
      request(ownExpress)
        .post('/api/tables/t1/changes')
        .send({ kind: 'delete-rows', rows: [1] }),
    );
    terminal.mockRestore();
    expect(answer.body).toMatchObject({ status, detail });
    expect((answer.body as { detail: string }).detail).not.toContain('data_rows');
  });

  it('says of a fault only what is known', async () => {
    const terminal = jest.spyOn(process.stderr, 'write').mockReturnValue(true);
    const answer = await local(request(app).get('/api/runs/x'));
    terminal.mockRestore();
    expect((answer.body as { detail: string }).detail).not.toMatch(/lost|saved|kept/);
  });

  it('goes into the log with who asked, where something was to be changed', async () => {
    const info = jest.spyOn(log, 'info');
    const put = request(app).put('/api/projects/p1/environments/e1').set('x-sturdy-person', 'Kim%20Lee');
    await local(put.send({ ...environment, targets: ['http://127.0.0.1:1'] }));
    await local(request(app).get('/api/projects?secret=1'));
    expect(info.mock.calls).toEqual([
      ['PUT /projects/p1/environments/e1', { by: 'Kim Lee', status: 200, ms: expect.any(Number) as number }],
    ]);
    info.mockRestore();
  });
});
