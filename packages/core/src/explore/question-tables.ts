/** A column that questions may ask for. */
export interface AskedColumn {
  name: string;
  kind: 'number' | 'text';
  /** What it is, with its unit. */
  words: string;
}

/** A table that questions may ask. */
export interface AskedTable {
  name: 'runs' | 'samples' | 'seconds' | 'generators' | 'hosts' | 'events' | 'failures';
  words: string;
  columns: AskedColumn[];
}

const number = (name: string, words: string): AskedColumn => ({ name, kind: 'number', words });
const text = (name: string, words: string): AskedColumn => ({ name, kind: 'text', words });
const run = number('run', 'number of the run');
const second = number('second', 'second since the start of the run');

/** All that questions may ask: the chosen runs, and what they measured. Every table names the run of each row. */
export const askedTables: readonly AskedTable[] = [
  {
    name: 'runs',
    words: 'the chosen runs',
    columns: [
      run,
      text('workload', 'its name'),
      text('environment', 'its name'),
      text('release', 'as somebody wrote it'),
      text('started_at', 'UTC, ISO 8601'),
      text('state', 'how it ended'),
      text('verdict', 'held, missed or none'),
      number('users', 'planned virtual users'),
      number('hold_from', 'second at which the figures begin'),
      number('hold_to', 'second at which they end'),
    ],
  },
  {
    name: 'samples',
    words: 'every single request that was kept',
    columns: [
      run,
      number('at_ms', 'when its answer had come, ms since the start of the run'),
      number('duration_ms', 'response time, ms'),
      number('first_byte_ms', 'time to the first byte, ms'),
      number('bytes_in', 'bytes received'),
      number('bytes_out', 'bytes sent'),
      number('user', 'virtual user'),
      number('iteration', 'iteration of that user'),
      number('status', 'status of the answer; null without one'),
      text('crew', 'name of the crew'),
      text('transaction', 'its name'),
      text('step', 'its name'),
      text('failure', 'what failed; null for a good one'),
    ],
  },
  {
    name: 'seconds',
    words: 'figures of each second, over all crews and generators; step is null for a transaction, both are null for all transactions',
    columns: [
      run,
      second,
      text('transaction', 'its name; null for all'),
      text('step', 'its name; null for the transaction'),
      number('count', 'samples in the second'),
      number('failed', 'failures in the second'),
      number('mean_ms', 'mean response time, ms'),
      number('min_ms', 'ms'),
      number('max_ms', 'ms'),
      number('p50_ms', 'ms'),
      number('p90_ms', 'ms'),
      number('p95_ms', 'ms'),
      number('p99_ms', 'ms'),
      number('first_byte_ms', 'mean, ms'),
      number('bytes_in', 'bytes received'),
      number('bytes_out', 'bytes sent'),
    ],
  },
  {
    name: 'generators',
    words: 'what each generator did and took, each second',
    columns: [
      run,
      second,
      number('generator', 'its number'),
      number('users', 'active virtual users'),
      number('iterations_passed', 'in the second'),
      number('iterations_failed', 'in the second'),
      number('missed_arrivals', 'arrivals that found no free user'),
      number('loop_delay_ms', 'worst delay of its event loop, ms'),
      number('lateness_ms', 'worst lateness of a start, ms'),
      number('busy_percent', 'share of the second in which its thread was busy, %'),
      number('heap_mb', 'memory of its objects, MB'),
      number('connections', 'open ones'),
    ],
  },
  {
    name: 'hosts',
    words: 'figures of watched hosts',
    columns: [
      run,
      second,
      text('host', 'its name'),
      text('figure', 'its name'),
      text('unit', 'of the value'),
      number('value', 'null where it was not read'),
    ],
  },
  {
    name: 'events',
    words: 'what happened in a run',
    columns: [run, second, text('kind', 'such as phase, note, lost'), text('text', 'in words')],
  },
  {
    name: 'failures',
    words: 'failures of each second by their kind',
    columns: [
      run,
      second,
      text('transaction', 'its name'),
      text('step', 'its name'),
      text('code', 'what kind of failure'),
      text('subject', 'what it is about'),
      text('message', 'in words'),
      number('count', 'in the second'),
    ],
  },
];

/** Questions to begin with. */
export const exampleQuestions: readonly { name: string; sql: string }[] = [
  {
    name: 'p95 of each transaction, minute by minute',
    sql: `SELECT transaction, CAST(floor(at_ms / 60000) AS INTEGER) AS minute,
       count(*) AS samples,
       round(quantile_cont(duration_ms, 0.95), 1) AS p95_ms
FROM samples
GROUP BY ALL
ORDER BY transaction, minute`,
  },
  {
    name: 'The 20 slowest requests',
    sql: `SELECT run, round(at_ms / 1000, 1) AS at_s, transaction, step, "user", iteration, status, round(duration_ms, 1) AS ms
FROM samples
ORDER BY duration_ms DESC
LIMIT 20`,
  },
  {
    name: 'Which users met failures',
    sql: `SELECT "user", count(*) AS failures, min(round(at_ms / 1000)) AS first_at_s, mode(failure) AS most_often
FROM samples
WHERE failure IS NOT NULL
GROUP BY "user"
ORDER BY failures DESC`,
  },
  {
    name: 'Response time beside a figure of a host, each ten seconds',
    sql: `SELECT floor(s.second / 10) * 10 AS second,
       round(avg(s.p95_ms), 1) AS p95_ms,
       round(avg(h.value), 1) AS processor
FROM seconds s JOIN hosts h ON h.run = s.run AND h.second = s.second
WHERE s.transaction IS NULL AND h.figure ILIKE '%processor%'
GROUP BY 1
ORDER BY 1`,
  },
  {
    name: 'Two runs side by side',
    sql: `SELECT transaction, run, count(*) AS samples,
       round(avg(duration_ms), 1) AS mean_ms,
       round(quantile_cont(duration_ms, 0.95), 1) AS p95_ms
FROM samples
GROUP BY ALL
ORDER BY transaction, run`,
  },
];
