import { createReadStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { text } from 'node:stream/consumers';
import { Environments } from '../environments/environments.js';
import { Projects } from '../projects/projects.js';
import { SampleFiles } from '../samples/sample-files.js';
import { importWorkerFile, parquetWorkerFile } from '../shipped/files.js';
import type { Store } from '../store/store-client.js';
import { onBothDatabases } from '../test/both-databases.js';
import { FileStates } from './file-states.js';
import { ProjectFiles } from './project-files.js';

onBothDatabases('single files of a project', (opened) => {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-states-'));
  let store: Store;
  let states: FileStates;
  let id: string;
  beforeAll(async () => {
    store = opened();
    const samples = new SampleFiles(folder);
    const projects = new Projects(store, { underWay: () => null, deleteSamples: () => Promise.resolve() });
    const ground = { store, samples, parquetWorker: parquetWorkerFile, importWorker: importWorkerFile };
    const files = new ProjectFiles(ground, projects);
    states = new FileStates(ground, { store, environments: new Environments(store), projects });
    ({ id } = (await files.importZip(createReadStream('demo/tidewell.zip'), 'kim')).project);
    const [environment] = await store.environments(id);
    if (environment)
      await store.saveEnvironment({
        ...environment,
        credentials: [{ kind: 'basic', origin: '*', user: 'kim', password: 'quince-7781' }],
        clearances: [],
      });
  }, 90_000);
  afterAll(() => {
    rmSync(folder, { recursive: true, force: true });
  });

  const read = async (path: string): Promise<string> => text(Readable.from((await states.file(id, path)).pieces()));
  const revisions = async () => new Map((await states.list(id)).map(({ path, revision }) => [path, revision]));
  /** Changes the text of a file; gives the paths whose revisions are others then. */
  const change = async (path: string, edit: (was: string) => string): Promise<string[]> => {
    const before = await revisions();
    const after = await states.put(id, path, before.get(path) ?? '', edit(await read(path)), 'kim');
    return after.flatMap((state) => (before.get(state.path) === state.revision ? [] : [state.path]));
  };
  const refused = (path: string, edit: (was: string) => string): Promise<unknown> =>
    change(path, edit).then(
      () => 'taken in',
      (error: unknown) => (error as { detail: string }).detail,
    );

  it('are listed with revisions that stay while nothing changes', async () => {
    const first = await states.list(id);
    expect(first.map(({ path }) => path)).toEqual(
      expect.arrayContaining(['project.yaml', 'takes/Book-intake-take-1.har', 'runs/4/run.json']),
    );
    expect(first.filter(({ isWritten }) => isWritten).map(({ path }) => path.split('/')[0])).not.toContain('takes');
    expect(await states.list(id)).toEqual(first);
  });

  it('are taken in as a version of what they stand for, and change nothing else', async () => {
    expect(await change('scripts/Find-intake.yaml', (was) => was.replace(/- pause: \d+/, '- pause: 4321'))).toEqual([
      'scripts/Find-intake.yaml',
    ]);
    expect(await read('scripts/Find-intake.yaml')).toContain('pause: 4321');
    const script = (await store.scripts(id)).find(({ name }) => name === 'Find intake');
    expect((await store.scriptVersions(script?.id ?? ''))[0]).toMatchObject({ by: 'kim', what: 'Changed in its file: 1 step changed' });
    expect(await change('workloads/Baseline-one-user.yaml', (was) => was.replace('users: 1', 'users: 2'))).toEqual([
      'workloads/Baseline-one-user.yaml',
    ]);
    expect((await store.workloads(id)).find(({ name }) => name === 'Baseline, one user')?.crews[0]).toMatchObject({
      users: 2,
      scriptId: expect.any(String) as string,
    });
    expect(await change('project.yaml', (was) => was.replace('Your visit has ended', 'Your visit is over'))).toEqual(['project.yaml']);
    expect(JSON.stringify(await store.projectSettings(id))).toContain('Your visit is over');
  });

  it('of environments keep the secrets that they only name', async () => {
    expect(await read('environments/This-machine.yaml')).not.toContain('quince');
    await change('environments/This-machine.yaml', (was) => was.replace('variables: {}', 'variables: { depot: north }'));
    expect((await store.environments(id))[0]).toMatchObject({ variables: { depot: 'north' }, credentials: [{ password: 'quince-7781' }] });
  });

  it('of parts change every script that has it', async () => {
    const changed = await change('parts/Sign-in.yaml', (was) => was.replace(/- pause: \d+/, '- pause: 999'));
    expect(changed).toEqual(expect.arrayContaining(['parts/Sign-in.yaml', 'scripts/Book-intake.yaml']));
    expect(await read('scripts/Book-intake.yaml')).toContain('pause: 999');
  });

  it('of rows become changes of the table, which can be taken back', async () => {
    const before = await read('tables/containers.csv');
    // What is spent stays so: the rows at the end, which go, are not.
    const spentCount = (await store.tables(id))[0]?.spentCount;
    const lines = before.trimEnd().split('\r\n');
    const [first = '', ...rest] = lines.slice(1);
    const wanted = [lines[0], first.replace(/,.*/, ',peaches'), ...rest.slice(0, -2), 'TWCU9999990,plums'].join('\r\n');
    expect(await change('tables/containers.csv', () => `${wanted}\r\n`)).toEqual(['tables/containers.yaml', 'tables/containers.csv']);
    expect((await read('tables/containers.csv')).trimEnd()).toBe(wanted);
    const [table] = await store.tables(id);
    expect(table).toMatchObject({ rowCount: 4999, spentCount });
    expect((await store.tableVersions(table?.id ?? '')).map(({ by }) => by)).toEqual(['kim', 'kim']);
    await store.goToVersion(table?.id ?? '', 0);
    expect(await read('tables/containers.csv')).toBe(before);
    await change('tables/containers.yaml', (was) => was.replace('order: listed', 'order: random'));
    expect((await store.tables(id))[0]?.deal.order).toBe('random');
  });

  it('that are wrong, or changed in the product meanwhile, change nothing', async () => {
    const before = await states.list(id);
    expect(await refused('scripts/Find-intake.yaml', (was) => was.replace(/- pause: .*/, '- pause: soon'))).toMatch(
      /^scripts\/Find-intake\.yaml:\d+:\d+: transactions\./,
    );
    expect(await refused('workloads/Baseline-one-user.yaml', (was) => was.replace('users: 2', 'users: many'))).toMatch(
      /^workloads\/.*:\d+:\d+: crews\.0\.users/,
    );
    expect(await refused('environments/This-machine.yaml', () => 'targets: none')).toMatch(
      /^environments\/This-machine\.yaml:1:1: targets/,
    );
    expect(await refused('parts/Sign-in.yaml', () => 'part: 2')).toMatch(/^parts\/Sign-in\.yaml:1:1: part/);
    expect(await refused('tables/containers.csv', (was) => was.replace('container,goods', 'number,goods'))).toContain(
      'Its first line has to name the columns: container, goods.',
    );
    expect(await refused('tables/containers.csv', (was) => `${was}one cell\r\n`)).toMatch(
      /^tables\/containers\.csv:\d+:1: The row has 1 cells, and the table has 2 columns\.$/,
    );
    expect(await refused('tables/containers.csv', (was) => `${was}"one cell\r\n`)).toMatch(/^tables\/containers\.csv: .*\d/);
    expect(await refused('tables/containers.yaml', (was) => was.replace('name: goods', 'name: cargo'))).toContain(
      'Columns of a table are changed in the product',
    );
    expect(await refused('project.yaml', (was) => was.replace(/takes:\n {2}- id: .*\n {4}file: .*\n/, 'takes:\n'))).toContain(
      'What a project holds is changed in the product',
    );
    expect(await refused('schemas/part.schema.json', () => '{}')).toContain('Only the product changes this file');
    await expect(states.put(id, 'scripts/Find-intake.yaml', 'an old one', 'x', 'kim')).rejects.toMatchObject({ status: 409 });
    await expect(states.put(id, 'takes/Book-intake-take-1.har', '', 'x', 'kim')).rejects.toMatchObject({ status: 404 });
    await expect(states.file(id, '../secrets/secrets.key')).rejects.toMatchObject({ status: 404 });
    expect(await states.list(id)).toEqual(before);
  });
});
