import * as z from 'zod';
import type { RunColumn, RunTables } from './run-tables.js';

/** Measures of a transaction or a step, each second. */
export const measures = {
  p50: { name: 'p50', unit: 'ms', column: 'p50_ms' },
  p90: { name: 'p90', unit: 'ms', column: 'p90_ms' },
  p95: { name: 'p95', unit: 'ms', column: 'p95_ms' },
  p99: { name: 'p99', unit: 'ms', column: 'p99_ms' },
  mean: { name: 'mean', unit: 'ms', column: 'mean_ms' },
  max: { name: 'maximum', unit: 'ms', column: 'max_ms' },
  'first-byte': { name: 'first byte', unit: 'ms', column: 'first_byte_ms' },
  count: { name: 'per second', unit: '1/s', column: 'count' },
  failed: { name: 'failures', unit: '1/s', column: 'failed' },
  'bytes-in': { name: 'received', unit: 'B/s', column: 'bytes_in' },
} as const;
export type Measure = keyof typeof measures;

/** What each generator tells of itself. */
const generatorFigures = {
  users: { name: 'active users', unit: 'users', column: 'users' },
  busy: { name: 'thread busy', unit: '%', column: 'busy_percent' },
  delay: { name: 'delay of the event loop', unit: 'ms', column: 'loop_delay_ms' },
  lateness: { name: 'lateness of starts', unit: 'ms', column: 'lateness_ms' },
  heap: { name: 'memory', unit: 'MB', column: 'heap_mb' },
  connections: { name: 'connections', unit: '', column: 'connections' },
} as const;

/** Names a series of a run. Transactions, steps and hosts go by their names, so that a view fits other runs, too. */
export const SeriesKeySchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('users') }),
  z.object({
    kind: z.literal('time'),
    /** Null for all transactions. */
    transaction: z.string().nullable(),
    /** Null for the transaction as a whole. */
    step: z.string().nullable(),
    measure: z.enum(Object.keys(measures) as [Measure, ...Measure[]]),
  }),
  z.object({ kind: z.literal('host'), host: z.string(), figure: z.string() }),
  z.object({
    kind: z.literal('generator'),
    generator: z.number().int(),
    figure: z.enum(Object.keys(generatorFigures) as [keyof typeof generatorFigures, ...(keyof typeof generatorFigures)[]]),
  }),
]);
export type SeriesKey = z.infer<typeof SeriesKeySchema>;

/** A key as text, equal for equal keys. */
export const seriesId = (key: SeriesKey): string =>
  JSON.stringify(
    key.kind === 'users'
      ? [key.kind]
      : key.kind === 'time'
        ? [key.kind, key.transaction, key.step, key.measure]
        : key.kind === 'host'
          ? [key.kind, key.host, key.figure]
          : [key.kind, key.generator, key.figure],
  );

/** What a run can show: its subjects, which the measures belong to. */
export const CatalogueSchema = z.object({
  /** In the order in which they were met; steps of each transaction. */
  transactions: z.array(z.object({ name: z.string(), steps: z.array(z.string()) })),
  hosts: z.array(z.object({ host: z.string(), figure: z.string(), unit: z.string() })),
  generators: z.array(z.number().int()),
  /** The last second of the run. */
  seconds: z.number().int(),
});
export type Catalogue = z.infer<typeof CatalogueSchema>;

/** A series as points: second and value, null where there was nothing in that second. */
export const SeriesPointsSchema = z.object({ key: SeriesKeySchema, points: z.array(z.tuple([z.number(), z.number().nullable()])) });
export type SeriesPoints = z.infer<typeof SeriesPointsSchema>;

const valuesOf = (columns: readonly RunColumn[], name: string): RunColumn['values'] =>
  columns.find((column) => column.name === name)?.values ?? [];

/** What the tables of a run can show. */
export function catalogueOf({ seconds, hosts, generators }: Pick<RunTables, 'seconds' | 'hosts' | 'generators'>): Catalogue {
  const transactions = new Map<string, Set<string>>();
  const [names, steps] = [valuesOf(seconds, 'transaction'), valuesOf(seconds, 'step')];
  for (const [at, name] of names.entries()) {
    if (typeof name !== 'string') continue;
    const ofName = transactions.get(name) ?? new Set<string>();
    transactions.set(name, ofName);
    const step = steps[at];
    if (typeof step === 'string') ofName.add(step);
  }
  const figures = new Map<string, Catalogue['hosts'][number]>();
  const [hostNames, figureNames, units] = [valuesOf(hosts, 'host'), valuesOf(hosts, 'figure'), valuesOf(hosts, 'unit')];
  for (const [at, host] of hostNames.entries()) {
    const figure = { host: String(host), figure: String(figureNames[at]), unit: String(units[at]) };
    figures.set(JSON.stringify([figure.host, figure.figure]), figure);
  }
  const ownSeconds = valuesOf(generators, 'second').map(Number);
  return {
    transactions: [...transactions].map(([name, ofName]) => ({ name, steps: [...ofName] })),
    hosts: [...figures.values()],
    generators: [...new Set(valuesOf(generators, 'generator').map(Number))].sort((left, right) => left - right),
    seconds: ownSeconds.reduce((most, second) => Math.max(most, second), 0),
  };
}

/** What people call a series, and its unit. */
export function seriesWords(key: SeriesKey, units: readonly Catalogue['hosts'][number][] = []): { name: string; unit: string } {
  switch (key.kind) {
    case 'users':
      return { name: 'Virtual users', unit: 'users' };
    case 'time': {
      const { name, unit } = measures[key.measure];
      return { name: `${key.step ?? key.transaction ?? 'All transactions'}, ${name}`, unit };
    }
    case 'host':
      return {
        name: `${key.host}: ${key.figure}`,
        unit: units.find(({ host, figure }) => host === key.host && figure === key.figure)?.unit ?? '',
      };
    case 'generator': {
      const { name, unit } = generatorFigures[key.figure];
      return { name: `Generator ${key.generator + 1}, ${name}`, unit };
    }
  }
}

/** The points of a series. Empty where the run has none of it. */
export function seriesPoints(
  { seconds, hosts, generators }: Pick<RunTables, 'seconds' | 'hosts' | 'generators'>,
  key: SeriesKey,
): SeriesPoints {
  const pick = (columns: readonly RunColumn[], column: string, isWanted: (at: number) => boolean): SeriesPoints['points'] => {
    const [at, values] = [valuesOf(columns, 'second'), valuesOf(columns, column)];
    return at.flatMap((second, place): SeriesPoints['points'] => {
      const value = values[place];
      return isWanted(place) ? [[Number(second), typeof value === 'number' ? value : null]] : [];
    });
  };
  switch (key.kind) {
    case 'users': {
      const sums = new Map<number, number>();
      const [at, users] = [valuesOf(generators, 'second'), valuesOf(generators, 'users')];
      for (const [place, second] of at.entries()) sums.set(Number(second), (sums.get(Number(second)) ?? 0) + Number(users[place]));
      return { key, points: [...sums].sort(([left], [right]) => left - right) };
    }
    case 'time': {
      const [transactions, steps] = [valuesOf(seconds, 'transaction'), valuesOf(seconds, 'step')];
      return {
        key,
        points: pick(
          seconds,
          measures[key.measure].column,
          (place) => transactions[place] === key.transaction && steps[place] === key.step,
        ),
      };
    }
    case 'host': {
      const [names, figures] = [valuesOf(hosts, 'host'), valuesOf(hosts, 'figure')];
      return { key, points: pick(hosts, 'value', (place) => names[place] === key.host && figures[place] === key.figure) };
    }
    case 'generator': {
      const numbers = valuesOf(generators, 'generator');
      return { key, points: pick(generators, generatorFigures[key.figure].column, (place) => numbers[place] === key.generator) };
    }
  }
}

/** Points as means over windows of `seconds` around each of them; what is null counts for nothing. */
export function smoothed(points: SeriesPoints['points'], seconds: number): SeriesPoints['points'] {
  if (seconds <= 1) return points;
  const half = seconds / 2;
  let [from, to, sum, count] = [0, 0, 0, 0];
  return points.map(([second]) => {
    for (; to < points.length && (points[to]?.[0] ?? 0) < second + half; to++) {
      const value = points[to]?.[1] ?? null;
      if (value !== null) [sum, count] = [sum + value, count + 1];
    }
    for (; from < to && (points[from]?.[0] ?? 0) < second - half; from++) {
      const value = points[from]?.[1] ?? null;
      if (value !== null) [sum, count] = [sum - value, count - 1];
    }
    return [second, count === 0 ? null : sum / count];
  });
}
