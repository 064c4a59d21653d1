import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { buffer } from 'node:stream/consumers';
import { Readable } from 'node:stream';
import { gunzipSync } from 'node:zlib';
import { exportProject } from '../project-files/export-project.js';
import { SampleFiles } from '../samples/sample-files.js';
import { migrationsFolder, parquetWorkerFile, storeWorkerFile } from '../shipped/files.js';
import { openStore, type Store } from './store-client.js';

/** What a database held that an earlier version of the product made and filled (`scripts/kept-schema.mjs`). */
interface KeptSchema {
  /** Migrations that this version had. */
  migrations: number;
  tables: Record<string, Record<string, unknown>[]>;
}

const fixtures = join(__dirname, 'fixtures');
const kept = readdirSync(fixtures).map((name) => JSON.parse(gunzipSync(readFileSync(join(fixtures, name))).toString('utf8')) as KeptSchema);
const journal = JSON.parse(readFileSync(join(migrationsFolder, 'meta', '_journal.json'), 'utf8')) as { entries: unknown[] };

let folder: string;
let store: Store | undefined;
afterEach(async () => {
  await store?.close();
  store = undefined;
});
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-upgrade-'));
});
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});

/** A data folder as that version left it. */
function dataFolderOf({ migrations }: KeptSchema): string {
  const data = join(folder, `schema-${migrations}`);
  execFileSync(process.execPath, [join(__dirname, '../../../../scripts/kept-schema.mjs'), 'make', String(migrations), data]);
  return data;
}

/** Every file of the project, so that everything of it has been read. */
async function readAll(store: Store, data: string): Promise<string[]> {
  const samples = new SampleFiles(join(data, 'samples'));
  const files = await exportProject({ store, samples, parquetWorker: parquetWorkerFile }, 'p1');
  for (const { pieces } of files) await buffer(Readable.from(pieces()));
  return files.map(({ path }) => path);
}

describe('a data folder of an earlier version', () => {
  it('is kept for every schema that there was', () => {
    // The fifth and the sixth came in one version.
    const released = journal.entries.map((_, at) => at + 1).filter((count) => count !== 5);
    expect(kept.map(({ migrations }) => migrations).sort((left, right) => left - right)).toEqual(released);
  });

  it.each(kept.map((schema): [number, KeptSchema] => [schema.migrations, schema]))(
    'opens with all that was in it: schema %i',
    async (_migrations, schema) => {
      const data = dataFolderOf(schema);
      store = await openStore(
        { directory: data },
        { worker: storeWorkerFile, migrations: migrationsFolder, secretsFolder: join(data, 'secrets') },
      );
      expect(await store.closeOpen()).toEqual({ runs: [], takes: [] });
      const paths = await readAll(store, data);
      expect(await store.damaged()).toEqual([]);
      const [project] = await store.projectSummaries();
      const rows = (table: string): number => schema.tables[table]?.length ?? 0;
      expect(project).toMatchObject({
        name: 'Tidewell',
        state: 'active',
        takes: rows('takes'),
        workloads: rows('workloads'),
        runs: 1,
        lastRun: { number: 1, state: 'done', verdict: 'held', workload: 'Thursday' },
      });
      expect(await store.scripts('p1')).toHaveLength(rows('scripts'));
      const takes = await store.takes('p1');
      // Messages over a WebSocket have become exchanges of their own since.
      expect(takes.reduce((sum, { exchangeCount }) => sum + exchangeCount, 0)).toBeGreaterThanOrEqual(rows('exchanges'));
      expect((await store.tables('p1'))[0]).toMatchObject({
        name: 'containers',
        rowCount: 3,
        columns: [{ name: 'container' }, { name: 'goods' }],
      });
      const run = project?.lastRun;
      expect(await store.frames(run?.id ?? '')).toHaveLength(rows('frames'));
      expect(paths.filter((path) => path.startsWith('rehearsals/'))).toHaveLength(rows('rehearsals'));
      expect(paths.filter((path) => path.startsWith('parts/'))).toHaveLength(rows('parts'));
      expect(paths.includes('patterns.yaml')).toBe(rows('handoff_patterns') > 0);
    },
    60_000,
  );
});
