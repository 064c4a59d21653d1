import { DuckDBInstance, StatementType, type DuckDBConnection, type Json } from '@duckdb/node-api';
import type { QuestionAnswer } from '@sturdy/core';
import { quoted } from './quoted.js';

/** What this process is asked: where the tables of each run are, and one question over them. It answers once, and is ended. */
export interface QuestionWork {
  /** For each table the statement that makes it of files; only this program writes them. */
  views: string[];
  /** Files that may be read. */
  files: string[];
  sql: string;
  mostRows: number;
  memoryMb: number;
  threads: number;
}
export type QuestionDone = { answer: QuestionAnswer } | { refused: string } | { ready: true };

const send = (done: QuestionDone): void => {
  process.send?.(done);
};

/** Opens a database in memory that reads the given files and nothing else, and whose settings nobody can change. */
async function openLocked({ views, files, memoryMb, threads }: QuestionWork): Promise<DuckDBConnection> {
  const database = await DuckDBInstance.create(':memory:', {
    memory_limit: `${memoryMb}MB`,
    threads: String(threads),
    temp_directory: '',
    autoinstall_known_extensions: 'false',
    autoload_known_extensions: 'false',
    allow_community_extensions: 'false',
    allow_unsigned_extensions: 'false',
  });
  const connection = await database.connect();
  await connection.run(`SET allowed_paths = [${files.map(quoted).join(', ')}]`);
  for (const view of views) await connection.run(view);
  await connection.run('SET enable_external_access = false');
  await connection.run('SET lock_configuration = true');
  return connection;
}

/** Throws a sentence where the text is anything but one SELECT. */
async function ask(connection: DuckDBConnection, { sql, mostRows }: QuestionWork): Promise<QuestionAnswer> {
  const statements = await connection.extractStatements(sql).catch((error: unknown) => {
    // What holds no statement at all, such as a comment, the engine calls an error of its own.
    if (error instanceof Error && error.message.includes('native callback')) return { count: 0, prepare: () => Promise.reject(error) };
    throw error;
  });
  if (statements.count !== 1)
    throw new Error(
      statements.count === 0
        ? 'There is no question in this. Write a SELECT.'
        : 'Ask one question at a time: there are several statements in this.',
    );
  const prepared = await statements.prepare(0);
  if (prepared.statementType !== StatementType.SELECT)
    throw new Error(
      `Only a SELECT can be asked here; this is ${StatementType[prepared.statementType].replace(/_/g, ' ')}. Nothing was done.`,
    );
  const begun = performance.now();
  const read = await prepared.streamAndReadUntil(mostRows + 1);
  const rows = read.getRowsJson();
  return {
    columns: read.deduplicatedColumnNames().map((name, at) => ({ name, type: read.columnType(at).toString() })),
    rows: rows.slice(0, mostRows).map((row) => row.map(cellOf)),
    isCut: rows.length > mostRows,
    ms: Math.round(performance.now() - begun),
  };
}

/** A value as it goes to the screen: whole numbers come as text from the database, because they may be larger than a number holds. */
function cellOf(value: Json): string | number | boolean | null {
  if (value === null || typeof value === 'number' || typeof value === 'boolean') return value;
  if (typeof value !== 'string') return JSON.stringify(value);
  return /^-?\d{1,15}$/.test(value) ? Number(value) : value;
}

/** What the engine counts of its memory is not all that it takes: a single long text is not. So this process looks at all of it. */
function watchMemory({ memoryMb }: QuestionWork): void {
  setInterval(() => {
    if (process.memoryUsage.rss() < 2 * memoryMb * (1 << 20)) return;
    send({ refused: `It wants more memory than the ${memoryMb} MB that a question may have. Ask for fewer rows or groups.` });
    setTimeout(() => process.exit(1), 100);
  }, 100);
}

process.on('message', (work: QuestionWork) => {
  void (async () => {
    try {
      watchMemory(work);
      const connection = await openLocked(work);
      send({ ready: true });
      send({ answer: await ask(connection, work) });
    } catch (error) {
      send({ refused: error instanceof Error ? error.message : String(error) });
    }
  })();
});
// The server has gone: nobody waits for an answer any more.
process.on('disconnect', () => process.exit(0));
