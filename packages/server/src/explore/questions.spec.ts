import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { askedTables, exampleQuestions, type HostSeries, type QuestionAnswer, type Run } from '@sturdy/core';
import { simulate } from '../../../core/src/test/closed-system.js';
import { tasks } from '../compute/tasks.js';
import { Problem } from '../problem/problem.js';
import { readRunTables, tablePath, writeRunTables } from '../samples/run-table-files.js';
import { writeParquet } from '../samples/parquet.js';
import { batchBytes } from '../samples/sample-batches.js';
import { questionProcessFile } from '../test/files.js';
import { Questions } from './questions.js';

let folder: string;
let questions: Questions;
const simulated = simulate({
  workers: 2,
  serviceSeconds: 0.04,
  thinkSeconds: 0.3,
  users: 4,
  curve: { kind: 'at-once', holdSeconds: 30, rampDownSeconds: 0, atEnd: 'iteration' },
  seed: 'a',
});
const run: Run = { ...simulated.run, id: 'r1', number: 7, release: "4.2'; DROP TABLE runs; --", endedAt: '2026-12-01T10:00:30Z' };
const other: Run = { ...run, id: 'r2', number: 8 };
const hosts: HostSeries[] = [{ id: 'h', host: 'Yard', name: 'processor', unit: '%', points: [[0, 10], [1, null], [2, 30]] }]; // prettier-ignore
const [crew] = run.workload.crews;
/** Response times of the samples in ms: 1 to 1000, so quantiles are known. */
const count = 1000;

async function prepare(id: string): Promise<void> {
  const own = join(folder, id);
  await writeRunTables(own, run, simulated.frames, hosts, simulated.scripts);
  const numbers = (value: (at: number) => number) => Uint32Array.from({ length: count }, (_, at) => value(at));
  const small = (value: (at: number) => number) => Uint16Array.from({ length: count }, (_, at) => value(at));
  const samples = join(folder, `${id}.samples`);
  writeFileSync(
    samples,
    batchBytes(
      {
        version: 1,
        count,
        names: [{ crew: crew?.id ?? '', transaction: 'Book', step: 'unknown' }],
        kinds: ['status'],
        measured: count,
        keepEvery: 1,
      },
      {
        at: numbers((at) => at * 1000),
        durationMicros: numbers((at) => (at + 1) * 1000),
        firstByteMicros: numbers(() => 500),
        bytesIn: numbers(() => 10),
        bytesOut: numbers(() => 5),
        user: numbers((at) => (at % 4) + 1),
        iteration: numbers((at) => at),
        name: small(() => 0),
        kind: small((at) => (at % 100 === 0 ? 1 : 0)),
        status: small((at) => (at % 100 === 0 ? 500 : 200)),
      },
    ),
  );
  await writeParquet(samples, tablePath(own, 'samples'));
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-questions-'));
  writeFileSync(join(folder, 'secret.csv'), 'a,b\nquince,7781\n');
  await prepare('r1');
  await prepare('r2');
  questions = new Questions(
    {
      tables: ({ id }) => Promise.resolve(join(folder, id)),
      samples: ({ id }) => Promise.resolve(id === 'bare' ? null : tablePath(join(folder, id), 'samples')),
    },
    { scripts: () => Promise.resolve(simulated.scripts) },
    questionProcessFile,
  );
});
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});

const ask = (sql: string, runs: Run[] = [run], limitSeconds = 20): Promise<QuestionAnswer> => questions.ask(runs, { sql, limitSeconds });
const refusal = async (sql: string, limitSeconds = 20): Promise<string> => {
  try {
    return `answered: ${JSON.stringify(await ask(sql, [run], limitSeconds))}`;
  } catch (error) {
    return error instanceof Problem ? `${error.status} ${error.detail}` : String(error);
  }
};

describe('questions over runs', () => {
  it('are answered: quantiles of samples as they are known, tables joined, runs side by side', async () => {
    // R type 7, quantile(1:1000, 0.95): 950.05 (Hyndman and Fan 1996).
    const { columns, rows } = await ask(
      'SELECT transaction, count(*) AS n, quantile_cont(duration_ms, 0.95) AS p95, count(failure) AS failures FROM samples GROUP BY ALL',
    );
    expect(columns.map(({ name }) => name)).toEqual(['transaction', 'n', 'p95', 'failures']);
    expect(rows).toEqual([['Book', 1000, expect.closeTo(950.05, 6), 10]]);
    expect((await ask('SELECT run, count(*) FROM samples GROUP BY run ORDER BY run', [run, other])).rows).toEqual([
      [7, 1000],
      [8, 1000],
    ]);
    expect((await ask('SELECT release, crew FROM runs JOIN samples USING (run) LIMIT 1')).rows).toEqual([
      ["4.2'; DROP TABLE runs; --", crew?.name],
    ]);
    // Counts of the frames agree with those of the table.
    const counted = simulated.frames
      .flatMap(({ items }) => items.filter(({ step }) => step === null))
      .reduce((sum, { tally }) => sum + tally.count, 0);
    expect((await ask('SELECT sum(count) FROM seconds WHERE transaction IS NULL')).rows).toEqual([[counted]]);
    expect((await ask('SELECT value FROM hosts ORDER BY second')).rows).toEqual([[10], [null], [30]]);
  });

  it('can ask every column of every table, and every example', async () => {
    for (const { name, columns } of askedTables) {
      const answer = await ask(`SELECT ${columns.map((column) => `"${column.name}"`).join(', ')} FROM ${name}`);
      expect(answer.columns.map((column) => column.name)).toEqual(columns.map((column) => column.name));
    }
    for (const { sql } of exampleQuestions) expect((await ask(sql)).columns.length).toBeGreaterThan(1);
    expect(
      (
        await ask(
          'SELECT count(*) FROM samples',
          [{ ...run, id: 'bare' }].map((bare) => ({ ...bare, id: 'r1' })),
        )
      ).rows,
    ).toEqual([[1000]]);
  }, 60_000);

  it('are cut at so many rows, and say so', async () => {
    const answer = await ask('SELECT a.at_ms FROM samples a, samples b');
    expect([answer.rows.length, answer.isCut]).toEqual([10_000, true]);
  });
});

describe('what questions must not do', () => {
  // Ways out that the engine has functions and statements for; each has to end without an answer.
  it.each([
    ["SELECT * FROM read_csv('SECRET')", 'nothing else'],
    ["SELECT * FROM read_text('/etc/passwd')", 'nothing else'],
    ["SELECT * FROM read_blob('/proc/self/environ')", 'nothing else'],
    ["SELECT * FROM read_json('/etc/passwd')", 'nothing else'],
    ["SELECT * FROM 'SECRET'", 'nothing else'],
    ["SELECT * FROM read_parquet('OTHER')", 'nothing else'],
    ["SELECT * FROM read_parquet(['OTHER', 'OTHER'])", 'nothing else'],
    ["SELECT * FROM parquet_metadata('OTHER')", 'nothing else'],
    ["SELECT * FROM glob('/**')", 'nothing else'],
    ["SELECT * FROM sniff_csv('SECRET')", 'nothing else'],
    ["SELECT * FROM query('SELECT * FROM read_text(''/etc/passwd'')')", 'nothing else'],
    ["SELECT * FROM json_execute_serialized_sql(json_serialize_sql('SELECT * FROM read_text(''/etc/passwd'')'))", 'nothing else'],
    ["SELECT * FROM read_csv('http://127.0.0.1:1/x.csv')", ''],
    ['SELECT * FROM duckdb_secrets()', ''],
    ["SELECT * FROM sqlite_scan('x', 'y')", ''],
    ["SELECT getenv('HOME')", ''],
    ["COPY samples TO 'SECRET'", ''],
    ["COPY (SELECT 1) TO 'OWN'", ''],
    ["EXPORT DATABASE 'SECRET.d'", ''],
    ["ATTACH 'SECRET.db' AS x", 'Only a SELECT can be asked here'],
    ['INSTALL httpfs', 'Only a SELECT'],
    ['LOAD httpfs', 'Only a SELECT'],
    ["SET memory_limit = '64GB'", 'Only a SELECT'],
    ['SET enable_external_access = true', 'Only a SELECT'],
    ['RESET ALL', ''],
    ['CREATE TABLE t AS SELECT 1', 'Only a SELECT'],
    ['CREATE OR REPLACE VIEW samples AS SELECT 1', 'Only a SELECT'],
    ["CREATE MACRO f(a) AS TABLE SELECT * FROM read_text('/etc/passwd')", 'nothing else'],
    ['DROP VIEW samples', 'Only a SELECT'],
    ['DELETE FROM samples', ''],
    ['INSERT INTO samples SELECT * FROM samples', ''],
    ['CALL pragma_version()', 'Only a SELECT'],
    ['PRAGMA enable_profiling', ''],
    ["PRAGMA profiling_output = 'SECRET'", ''],
    ['SELECT 1; SELECT 2', 'Ask one question at a time'],
    ["SELECT 1; COPY (SELECT 1) TO 'SECRET'", 'Ask one question at a time'],
    ['-- nothing', 'There is no question in this.'],
    ['SELEC 1', 'syntax error'],
    ['SELECT nothing FROM samples', 'nothing'],
  ])('%s', async (sql, sentence) => {
    const own = tablePath(join(folder, 'r1'), 'seconds');
    const written = sql
      .replaceAll('SECRET', join(folder, 'secret.csv'))
      .replaceAll('OTHER', tablePath(join(folder, 'r2'), 'seconds'))
      .replaceAll('OWN', own);
    const before = readFileSync(own);
    const said = await refusal(written);
    expect(said).toMatch(/^422 /);
    expect(said).toContain(sentence);
    expect(said).not.toMatch(/root:x:|7781/);
    expect(readFileSync(join(folder, 'secret.csv'), 'utf8')).toBe('a,b\nquince,7781\n');
    expect(readFileSync(own).equals(before)).toBe(true);
  });

  it('take all the time there is, or all the memory: they are ended, and the next one is answered', async () => {
    expect(await refusal('SELECT count(*) FROM samples a, samples b, samples c, samples d', 1)).toMatch(/^408 .*not answered within 1 s/);
    expect(await refusal('SELECT list(a.user || b.failure || c.step) FROM samples a, samples b, range(100000) c(step)', 15)).toMatch(
      /^4(08|22) /,
    );
    expect(await refusal("SELECT length(repeat('x', 4000000000))", 15)).toMatch(/^422 (It wants more memory|The engine ended|.*[Mm]emory)/);
    expect((await ask('SELECT 1 AS one')).rows).toEqual([[1]]);
  }, 60_000);

  it('go on when whoever asked has gone, or when too many ask at once', async () => {
    const leave = new AbortController();
    const endless = 'SELECT count(*) FROM samples a, samples b, samples c, samples d';
    const asked = questions.ask([run], { sql: endless, limitSeconds: 30 }, leave.signal);
    const second = questions.ask([run], { sql: endless, limitSeconds: 30 }, leave.signal);
    expect(await refusal('SELECT 1')).toMatch(/^429 /);
    leave.abort();
    await expect(asked).rejects.toThrow('Whoever asked has gone.');
    await expect(second).rejects.toThrow('Whoever asked has gone.');
    expect((await ask('SELECT 2 AS two')).rows).toEqual([[2]]);
  });
});

it('series are read from the files of tables as they were written', async () => {
  const { seconds } = await readRunTables(join(folder, 'r1'));
  expect(seconds.map(({ name }) => name)).toContain('p95_ms');
  const all = { kind: 'time' as const, transaction: null, step: null, measure: 'count' as const };
  const [users, counts, processor] = await tasks.series(join(folder, 'r1'), [
    { kind: 'users' },
    all,
    { kind: 'host', host: 'Yard', figure: 'processor' },
  ]);
  expect(users?.points.at(5)).toEqual([5, 4]);
  expect(counts?.points.length).toBeGreaterThan(20);
  expect(processor?.points).toEqual([[0, 10], [1, null], [2, 30]]); // prettier-ignore
  const catalogue = await tasks.catalogue(join(folder, 'r1'));
  expect(catalogue.hosts).toEqual([{ host: 'Yard', figure: 'processor', unit: '%' }]);
  expect(catalogue.transactions.length).toBeGreaterThan(0);
});
