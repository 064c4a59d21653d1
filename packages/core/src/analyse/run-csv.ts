import { writeCsv } from '../data/write-csv.js';
import type { Summary } from '../measure/tally.schema.js';
import type { Failure } from '../measure/frame.schema.js';
import type { RunResult } from './run.schema.js';

/** Columns of the exported figures; times in ms, bytes in bytes. */
const columns: readonly [string, (summary: Summary) => number][] = [
  ['count', (summary) => summary.count],
  ['errors', (summary) => summary.errors],
  ['mean_ms', (summary) => summary.meanMs],
  ['sd_ms', (summary) => summary.deviationMs],
  ['min_ms', (summary) => summary.minMs],
  ['p50_ms', (summary) => summary.p50Ms],
  ['p90_ms', (summary) => summary.p90Ms],
  ['p95_ms', (summary) => summary.p95Ms],
  ['p99_ms', (summary) => summary.p99Ms],
  ['max_ms', (summary) => summary.maxMs],
  ['first_byte_ms', (summary) => summary.firstByteMs],
  ['per_second', (summary) => summary.throughput],
  ['bytes_in', (summary) => summary.bytesIn],
  ['bytes_out', (summary) => summary.bytesOut],
];

/** The transactions and steps of a run as CSV (RFC 4180): figures of the hold. */
export const runCsv = ({ rows }: RunResult): string =>
  writeCsv(
    ['transaction', 'step', ...columns.map(([name]) => name)],
    rows.map(({ transaction, step, name, summary }) => [
      transaction,
      step === null ? '' : name,
      ...columns.map(([, of]) => String(Math.round(of(summary) * 1000) / 1000)),
    ]),
  );

/** The failures of a run, grouped by code and subject, as CSV (RFC 4180); seconds since the start of the run. */
export const failuresCsv = ({ failures }: { failures: readonly Omit<Failure, 'example'>[] }): string =>
  writeCsv(
    ['transaction', 'step', 'code', 'subject', 'count', 'first_second', 'last_second', 'first_message'],
    failures.map((failure) => [
      failure.transaction,
      failure.step,
      failure.code,
      failure.subject,
      String(failure.count),
      String(failure.firstSecond),
      String(failure.lastSecond),
      failure.message,
    ]),
  );
