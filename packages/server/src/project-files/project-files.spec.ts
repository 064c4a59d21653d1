import { createReadStream, createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer, text } from 'node:stream/consumers';
import {
  BriefSchema,
  signBrief,
  everything,
  onceInOrder,
  plainEnvironment,
  plainSettings,
  SampleBook,
  scriptFromTake,
  type Environment,
  type MessageExchange,
  type Part,
  type Rehearsal,
  type RequestExchange,
  type Run,
  type Take,
  type Workload,
} from '@sturdy/core';
import { strFromU8, strToU8, unzipSync, zipSync, type Unzipped } from 'fflate';
import { Projects } from '../projects/projects.js';
import { SampleFiles } from '../samples/sample-files.js';
import { importWorkerFile, parquetWorkerFile } from '../shipped/files.js';
import type { Store } from '../store/store-client.js';
import { storedBody } from '../store/stored-body.js';
import { onBothDatabases } from '../test/both-databases.js';
import { quietFrame } from '../test/frames.js';
import { ProjectFiles } from './project-files.js';

const noProblem = (problem: string): void => {
  throw new Error(problem);
};
const ids = {
  take: '0b6c2f5e-6d0a-4a0e-9a49-2f0d3c1b8a11',
  script: '4f5a9a7c-3f07-4d0b-8a0f-0c2f3f0a9b22',
  table: '9d2f8b1a-7c36-4d7e-9a53-5b1c7e2d6c33',
  rehearsal: '1c7e2d6c-9a53-4d7e-7c36-8b1a9d2f5b44',
  workload: '2d6c1c7e-4d7e-9a53-8b1a-7c365b1c9d55',
  run: '7c368b1a-9a53-4d7e-2d6c-1c7e9d2f5b66',
  part: 'p1a2b3c4d',
};
const { stored: page, ref: pageRef } = storedBody(Buffer.from('<input name="key" value="k-91">'), 'text/html');
const { stored: picture, ref: pictureRef } = storedBody(Buffer.from([0x89, 0x50, 0, 255, 254]), 'image/png');
const { stored: said, ref: saidRef } = storedBody(Buffer.from('{"bay":4}'), 'application/json');

const take = (projectId: string): Take => ({
  id: ids.take,
  projectId,
  name: 'Book intake',
  startedAt: '2026-11-23T10:00:00.000Z',
  state: 'done',
  marks: [{ kind: 'begin', atMs: 0, text: 'Book' }],
  harLog: null,
});
const request = (n: number, more: Partial<RequestExchange>): RequestExchange => ({
  kind: 'request',
  n,
  startedAtMs: n * 10.5,
  durationMs: 3,
  method: 'GET',
  url: 'http://127.0.0.1:9/desk',
  httpVersion: 'HTTP/1.1',
  requestHeaders: [['Accept', '*/*']],
  requestBody: null,
  response: { status: 200, statusText: 'OK', httpVersion: 'HTTP/1.1', headers: [['Content-Type', 'text/html']], body: pageRef },
  failure: null,
  timings: { blocked: 0, dns: -1, connect: -1, tls: -1, send: 0, wait: 2, receive: 1 },
  harEntry: null,
  ...more,
});
const message: MessageExchange = {
  kind: 'message',
  n: 3,
  startedAtMs: 40,
  durationMs: 1,
  url: 'ws://127.0.0.1:9/live',
  openedBy: 1,
  action: 'send',
  format: 'text',
  same: [],
  sent: saidRef,
  answer: null,
};
const exchanges = [
  request(1, {}),
  request(2, { method: 'POST', response: { status: 200, statusText: '', httpVersion: 'HTTP/1.1', headers: [], body: pictureRef } }),
  message,
];
const environment = (projectId: string): Environment => ({
  ...plainEnvironment({ id: 'e1', projectId, name: 'Staging', targets: ['http://127.0.0.1:9', 'http://10.20.0.7'] }),
  credentials: [{ kind: 'basic', origin: '*', user: 'kim', password: 'quince-7781' }],
  clearances: [
    {
      origin: 'http://10.20.0.7',
      by: 'Mara',
      for: 'a test',
      until: '2027-01-31',
      requestsPerSecond: 5,
      users: null,
      host: '',
      addresses: ['10.20.0.7'],
    },
  ],
});
const workload = (projectId: string): Workload => ({
  id: ids.workload,
  projectId,
  name: 'Peak hour',
  environmentId: 'e1',
  crews: [
    {
      id: 'c3',
      name: 'Clerks',
      scriptId: ids.script,
      users: 5,
      think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
      pacing: { kind: 'none', seconds: 0 },
      onFailure: 'go-on',
    },
  ],
  curve: { kind: 'at-once', holdSeconds: 10, rampDownSeconds: 0, atEnd: 'now' },
  criteria: [{ id: 'k2', measure: 'p95', transaction: 'Book', limit: 2000 }],
  stopRules: [],
  generators: 1,
  seed: '1',
});
const run = (projectId: string): Run => ({
  id: ids.run,
  projectId,
  number: 4,
  workload: workload(projectId),
  environmentId: 'e1',
  state: 'done',
  startedAt: '2026-11-23T10:00:00.000Z',
  endedAt: '2026-11-23T10:00:10.000Z',
  note: null,
  verdict: 'held',
});

/** A whole project in the store, with one thing of each kind. */
async function makeProject(store: Store, samples: SampleFiles, projectId: string): Promise<void> {
  await store.saveProject({ id: projectId, name: 'Tidewell release 4.2' });
  await store.saveProjectSettings(projectId, { ...plainSettings, failureSigns: [{ kind: 'text', text: 'Your visit has ended' }] });
  await store.saveEnvironment(environment(projectId));
  await store.putBodies([page, picture, said]);
  await store.saveTake(take(projectId));
  await store.saveExchanges(ids.take, exchanges);
  const loaded = { take: take(projectId), exchanges, readBody: () => undefined };
  const made = scriptFromTake(loaded, { scriptId: ids.script, name: 'Book intake', tidy: everything });
  const script = { ...made, transactions: made.transactions.map((transaction) => ({ ...transaction, part: ids.part })) };
  await store.saveScript(script, 'kim', '2026-11-23T11:00:00.000Z');
  const part: Part = {
    id: ids.part,
    projectId,
    name: 'Book',
    steps: script.transactions[0]?.steps ?? [],
    handoffs: [],
    made: [],
    foreign: [],
  };
  await store.savePart(part);
  const columns = [
    { name: 'number', kind: 'text' as const, unique: true },
    { name: 'note', kind: 'text' as const, unique: false },
  ];
  const rows = Array.from({ length: 120 }, (_, at) => [`=N${at}`, at % 7 === 0 ? 'a "quoted", long\r\nnote' : '']);
  await store.saveTable({ id: ids.table, projectId, name: 'containers', columns, deal: onceInOrder }, rows);
  await store.leaseRows(ids.table, 30, ids.run);
  const rehearsal: Rehearsal = {
    id: ids.rehearsal,
    scriptId: ids.script,
    number: 1,
    startedAt: '2026-11-23T10:30:00.000Z',
    verdict: 'failed',
    steps: [],
    divergence: null,
    rows: [{ table: ids.table, row: 31 }],
  };
  await store.saveRehearsal(rehearsal);
  await store.saveBrief(projectId, brief);
  await store.saveWorkload(workload(projectId), 'kim', '2026-11-23T12:00:00.000Z');
  await store.saveRun(run(projectId));
  await store.saveFrames(ids.run, [quietFrame(0), quietFrame(1)]);
  await store.saveHostPoints(ids.run, [{ watch: 'this', second: 1, values: { processor: 12.5, memory: null }, problem: null }]);
  const book = new SampleBook();
  for (let n = 0; n < 50; n++)
    book.add({
      crew: 'Clerks',
      transaction: 'Book',
      step: 's1',
      atMs: n,
      durationMs: 2,
      firstByteMs: 1,
      bytesIn: 3,
      bytesOut: 4,
      user: 1,
      iteration: n,
      status: 200,
      failure: null,
    });
  const batch = book.take();
  if (batch) samples.keep(ids.run, batch, noProblem);
  await samples.end(ids.run);
}

/** Pacing stands under the id of the script, which a copy has another of. */
const brief = signBrief(
  BriefSchema.parse({ title: 'Peak', transactions: [{ id: 't', transaction: 'Book', ratePerHour: 900 }], pacing: { [ids.script]: 45 } }),
  { by: 'Odile Marsh', role: 'operations', at: '2026-11-30T10:00:00Z' },
);

/** All that is in a project, but for when it was changed and what its ids are in the store. */
async function allOf(store: Store, samples: SampleFiles, projectId: string): Promise<unknown> {
  const [script] = await store.scripts(projectId);
  const [storedTake] = await store.takes(projectId);
  const [table] = await store.tables(projectId);
  const [storedRun] = await store.runs(projectId);
  const document = {
    settings: await store.projectSettings(projectId),
    brief: await store.brief(projectId),
    environments: await store.environments(projectId),
    take: storedTake,
    exchanges: await store.exchanges(storedTake?.id ?? ''),
    picture: Buffer.from((await store.body(pictureRef.hash))?.bytes ?? []).toString('hex'),
    script,
    parts: await store.parts(projectId),
    table,
    rows: await store.rows(table?.id ?? '', 1, 1000),
    rehearsals: await store.rehearsals(script?.id ?? ''),
    workloads: await store.workloads(projectId),
    run: storedRun,
    frames: await store.frames(storedRun?.id ?? ''),
    points: await store.hostPoints(storedRun?.id ?? ''),
    samples: await buffer(createReadStream(samples.path(storedRun?.id ?? ''))).then((bytes) => bytes.length > 1000),
  };
  return JSON.parse(JSON.stringify(document).replaceAll(projectId, 'THE PROJECT')) as unknown;
}

onBothDatabases('a project as files', (opened) => {
  let folder: string;
  let samples: SampleFiles;
  let files: ProjectFiles;
  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'sturdy-project-files-'));
    samples = new SampleFiles(join(folder, 'samples'));
    const projects = new Projects(opened(), { underWay: () => null, deleteSamples: (id) => samples.delete(id) });
    files = new ProjectFiles({ store: opened(), samples, importWorker: importWorkerFile, parquetWorker: parquetWorkerFile }, projects);
    await makeProject(opened(), samples, 'pfirst');
  }, 60_000);
  afterAll(() => {
    rmSync(folder, { recursive: true, force: true });
  });
  const zipOf = async (projectId: string): Promise<Buffer> => {
    const path = join(folder, 'out.zip');
    await files.writeZip(projectId, createWriteStream(path));
    return buffer(createReadStream(path));
  };
  const importZip = (zip: Uint8Array, name?: string) => files.importZip(Readable.from([Buffer.from(zip)]), 'kim', name);
  const filesIn = async (projectId: string): Promise<Unzipped> => unzipSync(await zipOf(projectId));

  it('is a folder that people and other programs can read, without its secrets', async () => {
    const zip = await filesIn('pfirst');
    const read = (path: string) => strFromU8(zip[path] ?? new Uint8Array());
    expect(Object.keys(zip).filter((path) => !path.startsWith('schemas/'))).toEqual([
      'project.yaml',
      'brief.yaml',
      'environments/Staging.yaml',
      'parts/Book.yaml',
      'tables/containers.yaml',
      'tables/containers.csv',
      'scripts/Book-intake.yaml',
      'workloads/Peak-hour.yaml',
      'takes/Book-intake.har',
      'rehearsals/Book-intake/1.json',
      'runs/4/run.json',
      'runs/4/frames.jsonl',
      'runs/4/hosts.jsonl',
      'runs/4/samples.parquet',
    ]);
    expect(read('project.yaml')).toMatch(
      /^# yaml-language-server: \$schema=schemas\/project.schema.json\nproject: 1\nname: Tidewell release 4.2\n/,
    );
    expect(read('scripts/Book-intake.yaml')).toMatch(/^# yaml-language-server: \$schema=\.\.\/schemas\/script.schema.json\n/);
    expect(read('workloads/Peak-hour.yaml')).toContain('script: ../scripts/Book-intake.yaml');
    expect(read('workloads/Peak-hour.yaml')).toContain('environment: ../environments/Staging.yaml');
    expect(read('tables/containers.yaml')).toContain(`spent:\n  - by: ${ids.run}\n    rows: 1-30\n`);
    expect(read('tables/containers.csv').split('\r\n', 2)).toEqual(['number,note', '=N0,"a ""quoted"", long']);
    expect(read('environments/Staging.yaml')).toContain('secret: STAGING_PASSWORD_OF_KIM');
    expect(Object.values(zip).some((bytes) => strFromU8(bytes, true).includes('quince-7781'))).toBe(false);
    // Nothing of it depends on when it was written, so that only what was changed differs.
    expect(await filesIn('pfirst')).toEqual(zip);
  });

  it('is a copy of its own where the project is still there: nothing of the two is the same thing', async () => {
    const { project, missing, uncleared } = await importZip(await zipOf('pfirst'));
    expect(project).toEqual({ id: project.id, name: 'Tidewell release 4.2 (2)', state: 'active' });
    expect(missing).toEqual([
      { environment: 'Staging', secrets: [{ name: 'STAGING_PASSWORD_OF_KIM', what: 'password of kim at all targets' }] },
    ]);
    expect(uncleared).toEqual(['http://10.20.0.7']);
    const [script] = await opened().scripts(project.id);
    const [copiedWorkload] = await opened().workloads(project.id);
    const [part] = await opened().parts(project.id);
    expect(Object.values(ids)).not.toContain(script?.id);
    expect(copiedWorkload?.crews.map(({ id, scriptId }) => [id, scriptId])).toEqual([['c3', script?.id]]);
    expect([script?.transactions[0]?.part, (await opened().takes(project.id)).map(({ id }) => id)]).toEqual([part?.id, [script?.takeId]]);
    expect((await opened().script(ids.script))?.projectId).toBe('pfirst');
    await opened().deleteProject(project.id);
    expect((await opened().rows(ids.table, 1, 1000)).filter(({ spentBy }) => spentBy !== null)).toHaveLength(30);
  });

  it('comes back as the same project, but for its secrets and its clearances', async () => {
    const before = (await allOf(opened(), samples, 'pfirst')) as { environments: Environment[] };
    const zip = await zipOf('pfirst');
    for (const runId of await opened().deleteProject('pfirst')) await samples.delete(runId);
    const { project } = await importZip(zip);
    const after = (await allOf(opened(), samples, project.id)) as { environments: Environment[] };
    const [staging] = before.environments;
    expect(after).toEqual({
      ...before,
      environments: [
        {
          ...staging,
          clearances: [],
          credentials: [{ kind: 'basic', origin: '*', user: 'kim', password: '(missing secret STAGING_PASSWORD_OF_KIM)' }],
        },
      ],
    });
    // Written again, it is the same to the letter, but for who cleared what.
    const [first, again] = [unzipSync(zip), await filesIn(project.id)];
    const changed = Object.keys(first).filter(
      (path) => strFromU8(first[path] ?? new Uint8Array(), true) !== strFromU8(again[path] ?? new Uint8Array(), true),
    );
    expect(changed).toEqual(['environments/Staging.yaml']);
    const copy = await files.duplicate(project.id, 'Release 4.3', 'kim');
    expect((await opened().environments(copy.project.id)).map(({ name, clearances }) => [name, clearances])).toEqual([['Staging', []]]);
    await opened().deleteProject(copy.project.id);
    await opened().saveProject({ id: project.id, name: 'Tidewell release 4.2' });
  });

  it('says file, line and column of what is wrong, and leaves nothing behind', async () => {
    const [{ id } = { id: '' }] = (await opened().projects()).filter(({ name }) => name === 'Tidewell release 4.2');
    const zip = await filesIn(id);
    const before = await opened().projects();
    const broken = async (changes: Record<string, string | null>): Promise<string> => {
      const given = Object.entries({ ...zip, ...changes }).flatMap(([path, content]): [string, Uint8Array][] =>
        content === null ? [] : [[path, typeof content === 'string' ? strToU8(content) : content]],
      );
      return importZip(zipSync(Object.fromEntries(given))).then(
        () => 'imported',
        (error: unknown) => (error as { detail: string }).detail,
      );
    };
    const script = strFromU8(zip['scripts/Book-intake.yaml'] ?? new Uint8Array());
    expect(await broken({ 'scripts/Book-intake.yaml': script.replace(/- request: .*/, '- request: [1]') })).toMatch(
      /^scripts\/Book-intake\.yaml:\d+:\d+: transactions\.0\.steps\.\d+.*\nNothing was imported\.$/,
    );
    expect(await broken({ 'takes/Book-intake.har': null })).toContain('project.yaml names takes/Book-intake.har, which is not there.');
    expect(await broken({ 'tables/containers.csv': 'number,note\r\nN1\r\n' })).toContain(
      'tables/containers.csv:2:1: The row has 1 cells, and the table has 2 columns',
    );
    expect(await broken({ 'runs/4/samples.parquet': 'no' })).toContain('runs/4/samples.parquet: It cannot be read as Parquet');
    expect(await broken({ 'runs/4/frames.jsonl': '{"version":1}\n' })).toMatch(/^runs\/4\/frames\.jsonl:1:1: /);
    expect(await broken({ 'project.yaml': null })).toContain('There is no project.yaml in it.');
    expect(await broken({ '../outside.yaml': 'x' })).toContain('cannot be read as a zip');
    const listing = strFromU8(zip['project.yaml'] ?? new Uint8Array());
    expect(await broken({ 'project.yaml': listing.replace('file: takes/', 'file: ../../takes/') })).toMatch(
      /^project\.yaml:\d+:\d+: takes\.0\.file: “\.\.\/\.\.\/takes\/Book-intake\.har” leads out of the project\./,
    );
    // What was packed is no longer what it was: whoever unpacks it must hear of it, and nothing else.
    const packed = zipSync(zip);
    const name = 'runs/4/frames.jsonl';
    const from = Buffer.from(packed).indexOf(name) + name.length;
    packed.fill(0xff, from + 5, from + 25);
    await expect(importZip(packed)).rejects.toMatchObject({ status: 422, title: 'Not a project' });
    await expect(importZip(Buffer.from('no zip at all'))).rejects.toMatchObject({ status: 422, title: 'Not a project' });
    expect(await opened().projects()).toEqual(before);
    expect((await opened().takes(id)).length).toBe(1);
    expect(await opened().leftImports()).toEqual([]);
  });

  it('ships with the product as the demo, which comes in whole', async () => {
    const { project, missing } = await files.importZip(createReadStream('demo/tidewell.zip'), 'kim', 'Demo');
    const [known] = (await opened().projectSummaries()).filter(({ id }) => id === project.id);
    expect(missing).toEqual([]);
    expect(known).toMatchObject({ takes: 6, workloads: 3, runs: 4, lastRun: { number: 4, verdict: 'missed' } });
    expect(known?.rehearsals.map((rehearsal) => [rehearsal?.verdict, rehearsal?.proof?.state])).toEqual(
      Array(3).fill(['passed', 'proven']),
    );
    const [table] = await opened().tables(project.id);
    expect([table?.rowCount, (table?.spentCount ?? 0) > 1000]).toEqual([5000, true]);
    for (const runId of await opened().deleteProject(project.id)) await samples.delete(runId);
  });

  it('leaves it to the server where the database fails: that is no fault of the files', async () => {
    const [{ id } = { id: '' }] = (await opened().projects()).filter(({ name }) => name === 'Tidewell release 4.2');
    const zip = await zipOf(id);
    const away = new Proxy(opened(), {
      get: (store, operation) =>
        operation === 'saveScript'
          ? () => Promise.reject(new Error('relation "scripts" does not exist'))
          : (Reflect.get(store, operation) as unknown),
    });
    const others = new ProjectFiles({ ...files.ground, store: away }, files.projects);
    await expect(others.importZip(Readable.from([zip]), 'kim')).rejects.toThrow('relation "scripts" does not exist');
    expect(await opened().leftImports()).toEqual([]);
  });

  it('may be packed with its folder around it, and a file that is not listed does no harm', async () => {
    const [{ id } = { id: '' }] = (await opened().projects()).filter(({ name }) => name === 'Tidewell release 4.2');
    const inFolder = Object.fromEntries(Object.entries(await filesIn(id)).map(([path, bytes]) => [`tidewell/${path}`, bytes]));
    const { project } = await importZip(zipSync({ ...inFolder, 'tidewell/notes.txt': strToU8('mine') }), 'In a folder');
    expect(project.name).toBe('In a folder');
    await expect(importZip(zipSync(inFolder), 'In a folder')).rejects.toMatchObject({ status: 409 });
    expect(await text(Readable.from((await files.files(project.id))[0]?.pieces() ?? []))).toContain('name: In a folder');
    await opened().deleteProject(project.id);
  });
});
