import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { answerBody, plainEnvironment, type Take } from '@sturdy/core';
import { emptyDatabaseFile, migrationsFolder, storeWorkerFile } from '../shipped/files.js';
import { LiveHub } from '../live/live-hub.js';
import { Recorder } from '../record/recorder.js';
import { DatabaseGate } from '../test/database-gate.js';
import { hasPostgres, startPostgres } from '../test/postgres.js';
import { askPlain } from '../test/proxy-client.js';
import { plainTarget } from '../test/targets.js';
import { awayIn, Patience } from './patience.js';
import { openStore, storePatience, type Store } from './store-client.js';

const take: Take = {
  id: 't',
  projectId: 'p1',
  name: 'Take',
  startedAt: '2026-11-23T10:00:00.000Z',
  state: 'done',
  marks: [],
  harLog: null,
};
const soon = (ms: number) => new Promise((done) => setTimeout(done, ms));
const until = async (holds: () => boolean) => {
  for (let waitedMs = 0; !holds() && waitedMs < 10_000; waitedMs += 20) await soon(20);
};

(hasPostgres ? describe : describe.skip)('A PostgreSQL server that goes away', () => {
  let server: Awaited<ReturnType<typeof startPostgres>>;
  let gate: DatabaseGate;
  let store: Store;
  const secretsFolder = mkdtempSync(join(tmpdir(), 'sturdy-secrets-'));

  beforeAll(async () => {
    server = await startPostgres();
    gate = await DatabaseGate.open(server.url);
    const files = { worker: storeWorkerFile, migrations: migrationsFolder, secretsFolder };
    store = await openStore({ databaseUrl: gate.url, longestQueryMs: 1000 }, files);
    await store.saveProject({ id: 'p1', name: 'P' });
  }, 90_000);
  afterEach(() => {
    gate.pass();
  });
  afterAll(async () => {
    await store.close();
    gate.close();
    await server.stop();
    rmSync(secretsFolder, { recursive: true, force: true });
  });

  it('by a restart in the middle of many writes loses none of them, and none fails', async () => {
    const writes = Array.from({ length: 200 }, (_, n) => store.saveTake({ ...take, id: `restart ${n}` }));
    server.restart();
    writes.push(...Array.from({ length: 20 }, (_, n) => store.saveTake({ ...take, id: `after ${n}` })));
    await Promise.all(writes);
    expect((await store.takes('p1')).filter((kept) => /^(restart|after) /.test(kept.id))).toHaveLength(220);
  }, 60_000);

  it.each([
    [
      'refuses connections',
      () => {
        gate.shut();
      },
    ],
    [
      'lets nothing pass any more',
      () => {
        gate.hang();
      },
    ],
  ])(
    'when it %s: what is written waits and is stored afterwards, and everybody is told meanwhile',
    async (how, goAway) => {
      goAway();
      const write = store.saveTake({ ...take, id: how });
      await until(() => store.away !== null);
      expect(store.away).toEqual({ since: expect.stringMatching(/^2\d{3}-/) as string, reason: expect.stringMatching(/./) as string });
      gate.pass();
      await write;
      expect(store.away).toBeNull();
      expect((await store.take(how))?.id).toBe(how);
    },
    60_000,
  );

  it('for longer than somebody waits tells them so, and has stored nothing', async () => {
    gate.shut();
    await expect(storePatience.run(300, () => store.saveTake({ ...take, id: 'given up' }))).rejects.toMatchObject({
      name: 'DatabaseAwayError',
      message: expect.stringMatching(/^The database has not answered since 2\d{3}-.*Nothing of this was stored/) as string,
    });
    gate.pass();
    await until(() => store.away === null);
    expect(await store.take('given up')).toBeNull();
  }, 60_000);

  it('does not stop a recording: what was recorded meanwhile is in the take', async () => {
    const target = await plainTarget();
    const folder = mkdtempSync(join(tmpdir(), 'sturdy-recorder-'));
    const recorder = new Recorder(store, new LiveHub(), 0, folder);
    const environment = plainEnvironment({ id: 'e', projectId: 'p1', name: 'E', targets: [target.origin] });
    const { id } = await recorder.start('p1', { name: 'R', forNetwork: false, bodyLimitBytes: 1 << 20 }, environment);
    const proxy = recorder.current?.proxy ?? '';
    const ask = async (count: number) => {
      for (let n = 0; n < count; n++) await askPlain(proxy, `${target.origin}/gzip?n=${n}`);
    };
    await ask(5);
    gate.shut();
    await ask(5);
    await until(() => store.away !== null);
    expect(recorder.current?.exchangeCount).toBe(10);
    gate.pass();
    await ask(5);
    await recorder.stop();
    const exchanges = await store.exchanges(id);
    expect(exchanges.map((exchange) => exchange.n)).toEqual(Array.from({ length: 15 }, (_, at) => at + 1));
    for (const exchange of exchanges) expect(await store.body(answerBody(exchange)?.hash ?? '')).not.toBeNull();
    await target.close();
    rmSync(folder, { recursive: true, force: true });
  }, 60_000);
});

describe('A thread of the store that ends by itself', () => {
  it('is started anew for the next call', async () => {
    const warnings: string[] = [];
    // It ends where a call takes all its memory, say; this one ends when it is told to.
    const worker = new URL(
      `data:text/javascript,${encodeURIComponent(`
        import { parentPort, threadId } from 'node:worker_threads';
        parentPort.on('message', ({ id, method }) => method === 'runs' ? process.exit() : parentPort.postMessage({ id, result: threadId }));
        parentPort.postMessage({ ready: true });`)}`,
    );
    const store = await openStore({ directory: '' }, { worker, migrations: '', secretsFolder: '', warn: (text) => warnings.push(text) });
    const thread = await store.projects();
    await expect(store.runs('p1')).rejects.toThrow('The worker thread has ended.');
    const [anew, same] = await Promise.all([store.projects(), store.projects()]);
    expect(anew).not.toEqual(thread);
    expect(same).toEqual(anew);
    expect(warnings).toEqual([expect.stringContaining('was started anew')]);
    await expect(store.runs('p1')).rejects.toThrow('has ended');
  });
});

describe('A database that goes away in the middle of a call', () => {
  // Patience counts milliseconds; these are the test's own, so that a busy machine does not use them up.
  beforeEach(() => {
    jest.useFakeTimers();
  });
  afterEach(() => {
    jest.useRealTimers();
  });
  /** What becomes of a call after `ms`. */
  const after = async <T>(ms: number, call: Promise<T>): Promise<T> => {
    const [outcome] = await Promise.all([Promise.allSettled([call]), jest.advanceTimersByTimeAsync(ms)]);
    return outcome[0].status === 'fulfilled' ? outcome[0].value : Promise.reject(outcome[0].reason as Error);
  };
  const gone = () => Object.assign(new Error('Connection terminated unexpectedly'), {});
  const failOnce = (error: Error) => {
    let calls = 0;
    return jest.fn(() => (++calls === 1 ? Promise.reject(error) : Promise.resolve('done')));
  };

  it('is asked again, but for a change that might then be made twice', async () => {
    const reasons: unknown[] = [];
    const patience = new Patience(
      () => Promise.resolve(),
      (away) => reasons.push(away?.reason ?? null),
    );
    expect(await after(500, patience.run('saveTake', failOnce(gone()), 1000))).toBe('done');
    expect(reasons).toEqual(['Connection terminated unexpectedly', null]);
    const change = failOnce(gone());
    await expect(after(500, patience.run('changeTable', change, 1000))).rejects.toThrow(
      /Look whether the change is there before you make it again\.$/,
    );
    expect(change).toHaveBeenCalledTimes(1);
    // One that never reached the database was not made.
    const neverReached = failOnce(Object.assign(new Error('refused'), { code: 'ECONNREFUSED' }));
    expect(await after(500, patience.run('changeTable', neverReached, 1000))).toBe('done');
  });

  it('is given up after a while too where it answers, and fails each time all the same', async () => {
    // PostgreSQL's own code for a server that takes no writes, as a replica does (25006).
    const call = jest.fn(() => Promise.reject(Object.assign(new Error('read-only'), { code: '25006' })));
    const patience = new Patience(
      () => Promise.resolve(),
      () => undefined,
    );
    await expect(after(1200, patience.run('saveTake', call, 1200))).rejects.toMatchObject({
      name: 'DatabaseAwayError',
      message: expect.stringMatching(/read-only.*Nothing of this was stored/) as string,
    });
    // It was asked again now and then, not without a pause: at once, after 500 ms and after 1,000 ms.
    expect(call).toHaveBeenCalledTimes(3);
  });

  it('is told from errors that come back however often one asks', async () => {
    const error = Object.assign(new Error('duplicate key value'), { code: '23505' });
    expect(awayIn(error)).toBeNull();
    const call = failOnce(error);
    await expect(
      new Patience(
        () => Promise.resolve(),
        () => undefined,
      ).run('saveTake', call, 1000),
    ).rejects.toBe(error);
    expect(call).toHaveBeenCalledTimes(1);
  });
});

/** A small disk of its own; null where this account may mount none. */
function smallDisk(megabytes: number): string | null {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-disk-'));
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', `size=${megabytes}m`, 'tmpfs', folder], { stdio: 'ignore' });
    return folder;
  } catch {
    rmSync(folder, { recursive: true, force: true });
    return null;
  }
}
const disk = smallDisk(140);
// Where none can be mounted, these are shown as skipped.
(disk === null ? describe.skip : describe)('A disk that is full', () => {
  const folder = disk ?? '';
  afterAll(() => {
    execFileSync('umount', ['-l', folder]);
    rmSync(folder, { recursive: true, force: true });
  });

  it('is told before anything is begun; what was stored stays, and with room all is written again', async () => {
    const secretsFolder = mkdtempSync(join(tmpdir(), 'sturdy-secrets-'));
    const files = { worker: storeWorkerFile, migrations: migrationsFolder, emptyDatabase: emptyDatabaseFile, secretsFolder };
    const store = await openStore({ directory: join(folder, 'd') }, files);
    const stored: string[] = [];
    const put = async (hash: string, megabytes: number) => {
      await store.putBodies([{ hash, mimeType: 'image/png', bytes: randomBytes(megabytes << 20) }]);
      stored.push(hash);
    };
    const noRoom = {
      name: 'NoRoomError',
      message: expect.stringMatching(/^No room on the disk.*Nothing of this was stored; make room\.$/) as string,
    };
    await put('a', 4);
    await expect(
      (async () => {
        for (let n = 0; n < 100; n++) await put(`c${n}`, 4);
      })(),
    ).rejects.toMatchObject({ ...noRoom, message: expect.stringContaining('64 MB have to be') as string });
    for (const hash of stored) expect((await store.body(hash))?.bytes).toHaveLength(4 << 20);
    execFileSync('mount', ['-o', 'remount,size=600m', folder]);
    await put('d', 4);
    await store.close();
    rmSync(join(folder, 'd'), { recursive: true });
    rmSync(secretsFolder, { recursive: true, force: true });
    execFileSync('mount', ['-o', 'remount,size=140m', folder]);
  }, 90_000);

  it('breaks the embedded database down in the middle of its log; with room it is opened anew, with all that was committed', () => {
    // The embedded database does not run within the test runner itself.
    const program = `
      import { execFileSync } from 'node:child_process';
      import { EmbeddedDatabase } from ${JSON.stringify(new URL('./embedded-database.js', storeWorkerFile).href)};
      const database = new EmbeddedDatabase(${JSON.stringify(join(folder, 'pg'))});
      await database.exec('create table t (n int)');
      let kept = 0;
      // It fills the log and nothing else.
      const write = () => database.transaction(async (change) => {
        await change.query('insert into t values ($1)', [kept]);
        await change.query("select pg_logical_emit_message(true, 'x', repeat('y', 4000000))");
      });
      const failures = [];
      try { for (; kept < 500; kept++) await write(); } catch (error) { failures.push([error.severity, error.message]); }
      try { await database.query('select 1'); } catch (error) { failures.push([error.code, error.message]); }
      execFileSync('mount', ['-o', 'remount,size=600m', ${JSON.stringify(folder)}]);
      await database.mend();
      const { rows } = await database.query('select n from t order by n');
      await write();
      await database.close();
      process.stdout.write(JSON.stringify({ failures, whole: kept > 0 && rows.every(({ n }, at) => n === at) && rows.length === kept }));
      process.exit(0);`;
    const said = JSON.parse(
      execFileSync(process.execPath, ['--input-type=module', '-e', program], { timeout: 80_000 }).toString(),
    ) as unknown;
    expect(said).toEqual({
      failures: [
        ['PANIC', expect.stringContaining('No space left on device')],
        ['57P03', expect.stringContaining('is being opened anew')],
      ],
      whole: true,
    });
  }, 90_000);
});
