import type { Run } from '../analyse/run.schema.js';
import { stepNameOf } from '../analyse/step-name.js';
import type { HostSeries } from '../hosts/watch.schema.js';
import type { Frame } from '../measure/frame.schema.js';
import { Tally } from '../measure/tally.js';
import type { Script } from '../script/script.schema.js';

/** A column of a table of a run; null where a row has nothing to say. */
export interface RunColumn {
  name: string;
  kind: 'number' | 'text';
  values: (number | string | null)[];
}

/** What a run measured, as tables: of what its frames, its hosts and its events say. Samples are a table of their own. */
export type RunTables = Record<'seconds' | 'generators' | 'hosts' | 'events' | 'failures', RunColumn[]>;

/** Collects rows of a table column by column. */
class Columns<Name extends string> {
  readonly columns: RunColumn[];

  constructor(kinds: Readonly<Record<Name, RunColumn['kind']>>) {
    this.columns = Object.entries<RunColumn['kind']>(kinds).map(([name, kind]) => ({ name, kind, values: [] }));
  }

  add(row: Readonly<Record<Name, number | string | null>>): void {
    for (const column of this.columns) column.values.push(row[column.name as Name]);
  }
}

/** Names a step that a crew played, as people know it. */
type StepNamer = (crew: string, step: string) => string;

/** The tables of a run. Figures of a second are exact over all generators and crews: histograms are merged before percentiles are read. */
export function runTables(
  run: Pick<Run, 'events' | 'workload'>,
  frames: readonly Frame[],
  hosts: readonly HostSeries[],
  scripts: readonly Script[],
): RunTables {
  const names = new Map<string, string>();
  const nameOf: StepNamer = (crew, step) => {
    const key = `${crew}/${step}`;
    const name = names.get(key) ?? stepNameOf(run.workload, scripts, { crew, step });
    names.set(key, name);
    return name;
  };
  return {
    seconds: secondsTable(frames, nameOf),
    generators: generatorsTable(frames),
    hosts: hostsTable(hosts),
    events: eventsTable(run),
    failures: failuresTable(frames, nameOf),
  };
}

function secondsTable(frames: readonly Frame[], nameOf: StepNamer): RunColumn[] {
  const table = new Columns({
    second: 'number',
    transaction: 'text',
    step: 'text',
    count: 'number',
    failed: 'number',
    mean_ms: 'number',
    min_ms: 'number',
    max_ms: 'number',
    p50_ms: 'number',
    p90_ms: 'number',
    p95_ms: 'number',
    p99_ms: 'number',
    first_byte_ms: 'number',
    bytes_in: 'number',
    bytes_out: 'number',
  });
  for (const [second, ofSecond] of bySecond(frames)) {
    const rows = new Map<string, { transaction: string | null; step: string | null; tally: Tally }>();
    const add = (transaction: string | null, step: string | null, tally: Tally) => {
      const key = JSON.stringify([transaction, step]);
      const row = rows.get(key) ?? { transaction, step, tally: new Tally() };
      row.tally.merge(tally);
      rows.set(key, row);
    };
    for (const { items } of ofSecond)
      for (const { crew, transaction, step, tally: data } of items) {
        const tally = Tally.from(data);
        // Transactions are counted once: their steps are parts of them.
        if (step === null) add(null, null, tally);
        add(transaction, step === null ? null : nameOf(crew, step), tally);
      }
    for (const { transaction, step, tally } of rows.values()) {
      const figures = tally.summary(1);
      table.add({
        second,
        transaction,
        step,
        count: figures.count,
        failed: figures.errors,
        mean_ms: figures.meanMs,
        min_ms: figures.minMs,
        max_ms: figures.maxMs,
        p50_ms: figures.p50Ms,
        p90_ms: figures.p90Ms,
        p95_ms: figures.p95Ms,
        p99_ms: figures.p99Ms,
        first_byte_ms: figures.firstByteMs,
        bytes_in: figures.bytesIn,
        bytes_out: figures.bytesOut,
      });
    }
  }
  return table.columns;
}

/** Frames by their seconds, in order. */
function bySecond(frames: readonly Frame[]): [number, Frame[]][] {
  const seconds = new Map<number, Frame[]>();
  for (const frame of frames) {
    const known = seconds.get(frame.second);
    if (known) known.push(frame);
    else seconds.set(frame.second, [frame]);
  }
  return [...seconds].sort(([left], [right]) => left - right);
}

function generatorsTable(frames: readonly Frame[]): RunColumn[] {
  const table = new Columns({
    second: 'number',
    generator: 'number',
    users: 'number',
    iterations_passed: 'number',
    iterations_failed: 'number',
    missed_arrivals: 'number',
    loop_delay_ms: 'number',
    lateness_ms: 'number',
    busy_percent: 'number',
    heap_mb: 'number',
    connections: 'number',
  });
  for (const frame of frames)
    table.add({
      second: frame.second,
      generator: frame.generator,
      users: frame.activeUsers,
      iterations_passed: frame.iterationsPassed,
      iterations_failed: frame.iterationsFailed,
      missed_arrivals: frame.missedArrivals,
      loop_delay_ms: frame.loopDelayMs,
      lateness_ms: frame.latenessMs,
      busy_percent: frame.own ? frame.own.busy * 100 : null,
      heap_mb: frame.own?.heapMb ?? null,
      connections: frame.own?.sockets ?? null,
    });
  return table.columns;
}

function hostsTable(hosts: readonly HostSeries[]): RunColumn[] {
  const table = new Columns({ second: 'number', host: 'text', figure: 'text', unit: 'text', value: 'number' });
  for (const { host, name, unit, points } of hosts)
    for (const [second, value] of points) table.add({ second, host, figure: name, unit, value });
  return table.columns;
}

function eventsTable({ events = [] }: Pick<Run, 'events'>): RunColumn[] {
  const table = new Columns({ second: 'number', kind: 'text', text: 'text' });
  for (const { second, kind, text } of events) table.add({ second, kind, text });
  return table.columns;
}

function failuresTable(frames: readonly Frame[], nameOf: StepNamer): RunColumn[] {
  const table = new Columns({
    second: 'number',
    transaction: 'text',
    step: 'text',
    code: 'text',
    subject: 'text',
    message: 'text',
    count: 'number',
  });
  for (const { second, failures } of frames)
    for (const { crew, transaction, step, code, subject, message, count } of failures)
      table.add({ second, transaction, step: nameOf(crew, step), code, subject, message, count });
  return table.columns;
}
