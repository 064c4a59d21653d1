import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import {
  curveSeconds,
  failuresCsv,
  findingsOf,
  junitOf,
  lanesOf,
  plainColumns,
  plainRules,
  readCsv,
  readWorkloadFile,
  runCsv,
  runFile,
  runResult,
  workloadOfFile,
  type LanePoint,
  type LiveEventData,
  type Run,
  type RunFile,
  type RunOutcome,
  type RunResult,
  type Workload,
  type WorkloadFile,
} from '@sturdy/core';
import { Conductor, Problem, LinkedTransport, WorkerThreads } from '@sturdy/server/conductor';
import type { Command } from 'commander';
import seedrandom from 'seedrandom';
import { faultLines, mustExist, readEnvironmentFile, readScriptFile, withPinnedTargets, writeJson } from '../input-files.js';
import { addPolicyOptions, policiesOf, type PolicyOptions } from '../policies.js';
import { FileRunStore, readSpent, type FileTable } from '../run/file-run-store.js';
import { RunFigures } from '../run/run-figures.js';
import { addSecretsOption, secretsFrom, type SecretsOptions } from '../secrets.js';
import { UsageError } from '../usage-error.js';

interface Options extends PolicyOptions, SecretsOptions {
  out: string;
  environment?: string;
  metricsPort?: string;
  users?: string;
}

const statusOf: Record<RunOutcome, number> = { held: 0, 'not held': 1, 'not to be trusted': 3 };

export function addRun(program: Command): void {
  const command = program
    .command('run')
    .description('run a load test as a workload file says, judge it, and write its figures; this makes real records in the application')
    .argument('<workload.yaml>', 'crews, load curve and criteria (see: sturdy schema workload)')
    .requiredOption('--out <folder>', 'where result.json, junit.xml and transactions.csv are written; made where it is missing')
    .option('--environment <env.yaml>', 'where it is played, if the workload file does not say')
    .option('--metrics-port <port>', 'give the figures of the running test out as OpenMetrics text at this port of this machine')
    .option('--users <number>', 'try it small: this many users in each crew at most')
    .addHelpText(
      'after',
      `
Works without the server. Sends only to the targets that the environment names; one that is not this machine has to be cleared there.
Files that the workload names lie beside it. Rows that are dealt for good are remembered in <table>.csv.spent.
Ctrl C lets users finish what they are at; pressed again, it aborts.
Exit status: 0 all criteria held, 1 they did not, 2 it could not be run to its end, 3 they held, but the figures are not to be trusted.
Example: sturdy run thursday.yaml --out results/ --metrics-port 9464`,
    )
    .action(async (file: string, options: Options) => {
      const prepared = prepare(file, options);
      process.exitCode = await play(
        { ...prepared, environment: await withPinnedTargets(prepared.environment, policiesOf(options)) },
        options,
      );
    });
  addPolicyOptions(command);
  addSecretsOption(command);
}

interface Prepared {
  workload: Workload;
  environment: ReturnType<typeof readEnvironmentFile>;
  scripts: ReturnType<typeof readScriptFile>['script'][];
  files: Map<string, Uint8Array>;
  tables: FileTable[];
}

function prepare(file: string, options: Options): Prepared {
  mustExist(file, 'The workload');
  const read = readWorkloadFile(readFileSync(file, 'utf8'));
  if ('problems' in read) throw new UsageError(faultLines(file, read.problems));
  const beside = (name: string) => resolve(dirname(file), name);
  const environmentFile = options.environment ?? (read.file.environment === undefined ? null : beside(read.file.environment));
  if (environmentFile === null)
    throw new UsageError('Nothing says where to play it. Give --environment env.yaml, or name the file in the workload.');
  const most = options.users === undefined ? Infinity : Number(options.users);
  if (most !== Infinity && !(Number.isInteger(most) && most >= 1)) throw new UsageError('--users is a whole number from 1.');
  const workload = workloadOfFile(read.file);
  const files = new Map<string, Uint8Array>();
  const scripts = [...new Set(workload.crews.map((crew) => crew.scriptId))].map((name) => {
    const scriptFile = readScriptFile(beside(name));
    for (const [hash, bytes] of scriptFile.files) files.set(hash, bytes);
    return { ...scriptFile.script, id: name };
  });
  return {
    workload: { ...workload, crews: workload.crews.map((crew) => ({ ...crew, users: Math.min(crew.users, most) })) },
    environment: readEnvironmentFile(environmentFile, secretsFrom(options)),
    scripts,
    files,
    tables: read.file.data.map((dataFile) => readTable(dataFile, beside(dataFile.file))),
  };
}

function readTable({ table, deal }: WorkloadFile['data'][number], file: string): FileTable {
  mustExist(file, 'The data table');
  const { columns, rows, problems } = readCsv(readFileSync(file, 'utf8').replace(/^\ufeff/, ''));
  const [problem] = problems;
  if (problem) throw new UsageError(`${file}:${problem.line}: ${problem.text}`);
  const spentFile = `${file}.spent`;
  return {
    rows,
    spentFile,
    table: {
      id: table,
      projectId: 'file',
      name: table,
      columns: plainColumns(columns),
      rowCount: rows.length,
      spentCount: readSpent(spentFile).size,
      deal,
      version: 0,
    },
  };
}

async function play({ workload, environment, scripts, files, tables }: Prepared, options: Options): Promise<number> {
  mkdirSync(options.out, { recursive: true });
  const port = options.metricsPort === undefined ? null : Number(options.metricsPort);
  if (port !== null && !(Number.isInteger(port) && port > 0 && port < 65_536))
    throw new UsageError('--metrics-port is a number from 1 to 65535.');
  const figures = new RunFigures();
  const server = port === null ? null : await figures.serve(port);
  const store = new FileRunStore({ scripts, files, tables }, (frame) => {
    figures.hear(frame);
  });
  const line = new LiveLine(curveSeconds(workload), figures);
  let end: (run: Run) => void = () => undefined;
  const ended = new Promise<Run>((done) => (end = done));
  const conductor = new Conductor(
    store,
    { runResult: (run, frames, all) => Promise.resolve(runResult(run, frames, all)) },
    {
      tell: (_topic, kind, data) => {
        if (kind === 'second') line.second((data as LiveEventData<'second'>).point);
        else if (kind === 'run' && (data as Run).endedAt !== null) end(data as Run);
      },
    },
    new LinkedTransport(new WorkerThreads()),
  );
  const started = await conductor.start(workload, environment).catch((error: unknown) => {
    throw error instanceof Problem ? new UsageError(error.detail) : error;
  });
  process.on('SIGINT', () => {
    if (conductor.current?.state === 'running') conductor.need(started.id).finish('It was finished by hand.');
    else if (conductor.current) void conductor.need(started.id).abort();
  });
  const run = await ended;
  line.end();
  server?.close();
  const frames = await store.frames();
  const result = runResult(run, frames, scripts);
  const findings = findingsOf({
    run,
    frames,
    hosts: [],
    scripts,
    rules: plainRules,
    capacityPercent: null,
    baseline: null,
    random: seedrandom(run.id),
  });
  const report = runFile(result, lanesOf(frames), findings);
  writeJson(join(options.out, 'result.json'), report);
  writeFileSync(join(options.out, 'junit.xml'), junitOf(result));
  writeFileSync(join(options.out, 'transactions.csv'), runCsv(result));
  writeFileSync(join(options.out, 'failures.csv'), failuresCsv(result));
  tell(result, report);
  return run.state === 'done' ? statusOf[report.outcome] : 2;
}

const clock = (seconds: number) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}`;

/** The run as one line that is written over where there is a terminal, and every ten seconds where there is none. */
class LiveLine {
  constructor(
    readonly seconds: number,
    readonly figures: RunFigures,
  ) {}
  #latest = -1;

  second({ second, users, perSecond, p95Ms, failures }: LanePoint): void {
    // A second comes again where a generator told of it late.
    if (second <= this.#latest) return;
    this.#latest = second;
    const { passed, failed } = this.figures;
    const text = `${clock(second + 1)} of ${clock(this.seconds)}  ${users} users  ${perSecond.toFixed(1)} transactions/s  p95 ${p95Ms === null ? '–' : `${p95Ms.toFixed(0)} ms`}  iterations ${passed} passed, ${failed} failed${failures > 0 ? `  ${failures} failures now` : ''}`;
    if (process.stdout.isTTY) process.stdout.write(`\r\u001b[K${text}`);
    else if (second % 10 === 9) process.stdout.write(`${text}\n`);
  }
  end(): void {
    if (process.stdout.isTTY) process.stdout.write('\n');
  }
}

function tell(
  { run, criteria, hostCriteria, trust, failures, iterationsPassed, iterationsFailed }: RunResult,
  { outcome, findings }: Pick<RunFile, 'outcome' | 'findings'>,
): void {
  const say = (text: string) => process.stdout.write(`${text}\n`);
  say(`${iterationsPassed} iterations passed, ${iterationsFailed} failed.`);
  if (run.note) say(run.note);
  for (const verdict of [...criteria, ...hostCriteria]) say(`${verdict.held ? 'held  ' : 'MISSED'}  ${verdict.sentence}`);
  for (const sign of trust.filter(({ good }) => !good)) say(`doubt   ${sign.sentence}`);
  for (const failure of failures.slice(0, 5)) say(`failed  ${failure.count} times, ${failure.transaction}: ${failure.message}`);
  // What hosts did is not known here, so that they are missing is no news.
  for (const { sentence } of findings.filter(
    ({ severity, kind }) => (severity === 'grave' || severity === 'notable') && kind !== 'failures',
  ))
    say(`shows   ${sentence}`);
  if (run.state !== 'done') say(`The run did not come to its end: ${run.state}.`);
  else if (outcome === 'held') say(criteria.length === 0 ? 'It ran to its end; it has no criteria.' : 'All criteria held.');
  else say(outcome === 'not held' ? 'It did not hold.' : 'All criteria held, but the figures are not to be trusted.');
}
