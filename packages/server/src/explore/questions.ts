import { fork } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import {
  actionSteps,
  askedTables,
  holdOf,
  mostAnswerRows,
  type AskedTable,
  type Question,
  type QuestionAnswer,
  type Run,
  type Script,
} from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import { quoted } from './quoted.js';
import type { PreparedRuns } from './prepared-runs.js';
import type { Store } from '../store/store-client.js';
import type { QuestionDone, QuestionWork } from './question.process.js';
import { tablePath } from '../samples/run-table-files.js';

/** Questions that are answered at a time. */
const mostAtOnce = 2;
/** Memory of the engine, in MB; what it cannot hold is refused, for it writes nothing to the disk. */
const memoryMb = 1024;

/**
 * Answers questions in SQL over runs. The embedded database cannot confine a stranger's SQL, so questions go to an analytical engine that sees copies of
 * what the chosen runs measured and nothing else, in a process of its own for each question, which is ended when it has answered, when time is up, or when
 * whoever asked has gone.
 */
export class Questions {
  #asked = 0;

  constructor(
    readonly prepared: Pick<PreparedRuns, 'tables' | 'samples'>,
    readonly store: Pick<Store, 'scripts'>,
    readonly processFile: URL,
  ) {}

  async ask(
    runs: readonly Run[],
    { sql, limitSeconds }: Pick<Question, 'sql' | 'limitSeconds'>,
    leave?: AbortSignal,
  ): Promise<QuestionAnswer> {
    if (this.#asked >= mostAtOnce)
      throw new Problem(429, 'Questions are being answered', `${mostAtOnce} questions are being answered now. Wait for one, or cancel it.`);
    this.#asked++;
    try {
      const files: string[] = [];
      const parts = new Map<AskedTable['name'], string[]>();
      for (const run of runs) {
        const folder = await this.prepared.tables(run);
        const samples = await this.prepared.samples(run);
        const scripts = await this.store.scripts(run.projectId);
        for (const table of askedTables) {
          if (table.name === 'runs') continue;
          const path = table.name === 'samples' ? samples : tablePath(folder, table.name);
          if (path !== null) files.push(path);
          parts.set(table.name, [...(parts.get(table.name) ?? []), partOf(table, run, path, scripts)]);
        }
      }
      const views = askedTables.map(
        ({ name, columns }) =>
          `CREATE VIEW ${name} AS ${name === 'runs' ? runsOf(runs, columns) : (parts.get(name) ?? []).join(' UNION ALL ')}`,
      );
      const threads = Math.max(1, Math.min(4, availableParallelism()));
      return await this.#inProcess({ views, files, sql, mostRows: mostAnswerRows, memoryMb, threads }, limitSeconds, leave);
    } finally {
      this.#asked--;
    }
  }

  #inProcess(work: QuestionWork, limitSeconds: number, leave?: AbortSignal): Promise<QuestionAnswer> {
    return new Promise((done, failed) => {
      // Nothing of the environment: secrets may stand in it.
      const child = fork(fileURLToPath(this.processFile), {
        env: {},
        execArgv: ['--max-old-space-size=512'],
        stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      });
      let limit: NodeJS.Timeout | undefined;
      const end = (outcome: () => void) => {
        clearTimeout(limit);
        leave?.removeEventListener('abort', onLeave);
        child.removeAllListeners();
        child.kill('SIGKILL');
        outcome();
      };
      const fail = (problem: Problem) => {
        end(() => {
          failed(problem);
        });
      };
      const onLeave = () => {
        fail(new Problem(499, 'Canceled', 'Whoever asked has gone.'));
      };
      // What is wrong with the engine itself ends it before a question has its time.
      limit = setTimeout(() => {
        fail(new Problem(503, 'The engine did not start', 'The engine that answers questions did not start within 30 s. Try again.'));
      }, 30_000);
      child.on('message', (said: QuestionDone) => {
        if ('answer' in said)
          end(() => {
            done(said.answer);
          });
        else if ('refused' in said) fail(new Problem(422, 'This cannot be answered', plainReason(said.refused)));
        else {
          clearTimeout(limit);
          limit = setTimeout(() => {
            fail(
              new Problem(
                408,
                'It took too long',
                `The question was not answered within ${limitSeconds} s and was ended. Ask for fewer runs, rows or groups, or give it more time.`,
              ),
            );
          }, limitSeconds * 1000);
        }
      });
      child.on('error', (error) => {
        fail(new Problem(503, 'The engine did not start', `The engine that answers questions could not be started: ${error.message}`));
      });
      child.on('exit', (code, signal) => {
        fail(
          new Problem(
            422,
            'The engine ended',
            `The engine ended before it had answered (${signal ?? `code ${code ?? 'unknown'}`}): the question may want more memory than there is, or the engine is not there for this kind of machine.`,
          ),
        );
      });
      leave?.addEventListener('abort', onLeave, { once: true });
      if (leave?.aborted) onLeave();
      else child.send(work);
    });
  }
}

const named = (name: string): string => `"${name}"`;
const typeOf = (kind: 'number' | 'text'): string => (kind === 'number' ? 'DOUBLE' : 'VARCHAR');
/** Columns of whole numbers, which read better without a point. */
const whole = new Set([
  'run',
  'second',
  'generator',
  'user',
  'iteration',
  'status',
  'count',
  'failed',
  'users',
  'bytes_in',
  'bytes_out',
  'connections',
]);

/** The rows of one run in a table. Crews and steps of samples are ids in the file, and names here. */
function partOf({ name, columns }: AskedTable, run: Run, path: string | null, scripts: readonly Script[]): string {
  const selected = columns.map((column) => {
    if (column.name === 'run') return `${run.number} AS run`;
    if (path === null) return `CAST(NULL AS ${typeOf(column.kind)}) AS ${named(column.name)}`;
    const value = whole.has(column.name) ? `CAST(${named(column.name)} AS BIGINT)` : named(column.name);
    return `${value} AS ${named(column.name)}`;
  });
  if (path === null) return `SELECT ${selected.join(', ')} WHERE false`;
  return `SELECT ${selected.join(', ')} FROM ${name === 'samples' ? samplesOf(run, path, scripts) : `read_parquet(${quoted(path)})`}`;
}

function samplesOf({ workload }: Run, path: string, scripts: readonly Script[]): string {
  const crews = workload.crews.map(({ id, name }) => `WHEN ${quoted(id)} THEN ${quoted(name)}`);
  const steps = workload.crews.flatMap(({ id, scriptId }) => {
    const script = scripts.find((known) => known.id === scriptId);
    return script ? actionSteps(script).map(({ step }) => `WHEN ${quoted(`${id}/${step.id}`)} THEN ${quoted(step.name)}`) : [];
  });
  const choose = (of: string, cases: readonly string[], otherwise: string) =>
    cases.length === 0 ? otherwise : `CASE ${of} ${cases.join(' ')} ELSE ${otherwise} END`;
  const [crew, step] = [choose('crew', crews, 'crew'), choose(`crew || '/' || step`, steps, 'step')];
  return `(SELECT * REPLACE (${crew} AS crew, ${step} AS step) FROM read_parquet(${quoted(path)}))`;
}

function runsOf(runs: readonly Run[], columns: AskedTable['columns']): string {
  const rows = runs.map((run) => {
    const hold = holdOf(run.workload);
    const values: Record<string, string | number | null> = {
      run: run.number,
      workload: run.workload.name,
      environment: run.environment?.name ?? null,
      release: run.release ?? null,
      started_at: run.startedAt,
      state: run.state,
      verdict: run.verdict,
      users: run.workload.crews.reduce((sum, { users }) => sum + users, 0),
      hold_from: hold.startSeconds,
      hold_to: hold.endSeconds,
    };
    const cells = columns.map(({ name, kind }) => {
      const value = values[name] ?? null;
      const literal = value === null ? 'NULL' : typeof value === 'number' ? String(value) : quoted(value);
      return `CAST(${literal} AS ${kind === 'number' ? (whole.has(name) ? 'BIGINT' : 'DOUBLE') : 'VARCHAR'}) AS ${named(name)}`;
    });
    return `SELECT ${cells.join(', ')}`;
  });
  return rows.join(' UNION ALL ');
}

/** What the engine said, without what it says of its own settings, which nobody here can change. */
const plainReason = (reason: string): string =>
  reason
    .replace(/^Failed to extract statements: /, '')
    .replace(/^(Permission|Parser|Binder|Catalog|Invalid Input|Conversion|Out of Memory) Error: /, '')
    .replace(/file system operations are disabled by configuration/, 'questions see the tables of the chosen runs and nothing else');
