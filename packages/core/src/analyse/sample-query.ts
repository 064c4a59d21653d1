import * as z from 'zod';
import { SampleSchema, type SampleTable } from '../measure/samples.js';

export const samplesOnPage = 100;

/** Which samples are wanted; what is absent narrows nothing. Times in ms, seconds since the start of the run. */
export const SampleQuerySchema = z.object({
  crew: z.string().optional(),
  transaction: z.string().optional(),
  step: z.string().optional(),
  user: z.coerce.number().int().min(1).optional(),
  failed: z.enum(['yes', 'no']).optional(),
  /** A code of failures, or a kind: a code with its subject behind a colon. */
  failure: z.string().optional(),
  atLeastMs: z.coerce.number().min(0).optional(),
  fromSecond: z.coerce.number().min(0).optional(),
  toSecond: z.coerce.number().min(0).optional(),
  order: z.enum(['time', 'slowest']).default('time'),
  page: z.coerce.number().int().min(0).default(0),
});
export type SampleQuery = z.infer<typeof SampleQuerySchema>;

/** How many samples are kept of all that were measured; every nth iteration is kept as a whole. */
export const SamplesKeptSchema = z.object({ kept: z.number().int(), measured: z.number().int(), keepEvery: z.number().int() });
export type SamplesKept = z.infer<typeof SamplesKeptSchema>;

/** A page of the samples that were asked for, and the figures of all of them. */
export const SamplePageSchema = z.object({
  total: z.number().int(),
  failures: z.number().int(),
  meanMs: z.number(),
  /** By nearest rank. */
  p50Ms: z.number(),
  p95Ms: z.number(),
  maxMs: z.number(),
  rows: z.array(SampleSchema),
});
export type SamplePage = z.infer<typeof SamplePageSchema>;

/** The figures of one virtual user. */
export const UserFiguresSchema = z.object({
  user: z.number().int(),
  crew: z.string(),
  iterations: z.number().int(),
  samples: z.number().int(),
  failures: z.number().int(),
  meanMs: z.number(),
  maxMs: z.number(),
});
export type UserFigures = z.infer<typeof UserFiguresSchema>;

/** The places of the samples that a query wants, in the order of time in which they were kept. */
function placesOf({ columns, names, kinds, count }: SampleTable, query: SampleQuery): Uint32Array {
  const isWanted = names.map(
    (sampleName) =>
      (query.crew === undefined || sampleName.crew === query.crew) &&
      (query.transaction === undefined || sampleName.transaction === query.transaction) &&
      (query.step === undefined || sampleName.step === query.step),
  );
  const { failure } = query;
  const isWantedKind =
    failure === undefined ? null : kinds.map((failureKind) => failureKind === failure || failureKind.startsWith(`${failure}:`));
  const { at, durationMicros, user, kind, name } = columns;
  const from = (query.fromSecond ?? 0) * 10_000;
  const to = (query.toSecond ?? Infinity) * 10_000;
  const atLeast = (query.atLeastMs ?? 0) * 1000;
  const { user: who, failed } = query;
  const places = new Uint32Array(count);
  let found = 0;
  for (let place = 0; place < count; place++) {
    if (isWanted[name[place] ?? 0] !== true) continue;
    if (who !== undefined && user[place] !== who) continue;
    if (failed !== undefined && (kind[place] !== 0) !== (failed === 'yes')) continue;
    if (isWantedKind && isWantedKind[(kind[place] ?? 0) - 1] !== true) continue;
    if ((durationMicros[place] ?? 0) < atLeast) continue;
    const moment = at[place] ?? 0;
    if (moment < from || moment >= to) continue;
    places[found++] = place;
  }
  return places.subarray(0, found);
}

/** Answers a query: figures of all that match, and one page of them. */
export function querySamples(table: SampleTable, query: SampleQuery): SamplePage {
  const places = placesOf(table, query);
  const { at, durationMicros, kind } = table.columns;
  const total = places.length;
  const sorted = new Uint32Array(total);
  let failures = 0;
  let sum = 0;
  for (let n = 0; n < total; n++) {
    const place = places[n] ?? 0;
    const micros = durationMicros[place] ?? 0;
    sorted[n] = micros;
    sum += micros;
    if (kind[place] !== 0) failures++;
  }
  sorted.sort();
  const rank = (percent: number) => (sorted[Math.max(0, Math.ceil((percent / 100) * total) - 1)] ?? 0) / 1000;
  const [from, to] = [query.page * samplesOnPage, (query.page + 1) * samplesOnPage];
  let chosen: number[];
  if (query.order === 'slowest') {
    // Only those that may stand on the page are put in order.
    const threshold = sorted[Math.max(0, total - to)] ?? 0;
    const near = places.filter((place) => (durationMicros[place] ?? 0) >= threshold);
    chosen = [...near].sort((left, right) => (durationMicros[right] ?? 0) - (durationMicros[left] ?? 0)).slice(from, to);
  } else {
    // Generators send theirs by the second, so neighbours may have changed places.
    chosen = [...places.subarray(from, to)].sort((left, right) => (at[left] ?? 0) - (at[right] ?? 0));
  }
  return {
    total,
    failures,
    meanMs: total === 0 ? 0 : sum / total / 1000,
    p50Ms: rank(50),
    p95Ms: rank(95),
    maxMs: (sorted.at(-1) ?? 0) / 1000,
    rows: chosen.map((place) => table.at(place)),
  };
}

/** The figures of each virtual user over the samples that a query wants. */
export function usersOf(table: SampleTable, query: SampleQuery): UserFigures[] {
  const { durationMicros, user, iteration, kind, name } = table.columns;
  const users = new Map<number, UserFigures & { seen: Set<number>; sum: number }>();
  for (const place of placesOf(table, query)) {
    const who = user[place] ?? 0;
    let ownUser = users.get(who);
    if (!ownUser) {
      ownUser = {
        user: who,
        crew: table.names[name[place] ?? 0]?.crew ?? '',
        iterations: 0,
        samples: 0,
        failures: 0,
        meanMs: 0,
        maxMs: 0,
        seen: new Set(),
        sum: 0,
      };
      users.set(who, ownUser);
    }
    const ms = (durationMicros[place] ?? 0) / 1000;
    ownUser.samples++;
    ownUser.sum += ms;
    ownUser.maxMs = Math.max(ownUser.maxMs, ms);
    ownUser.seen.add(iteration[place] ?? 0);
    if (kind[place] !== 0) ownUser.failures++;
  }
  return [...users.values()]
    .sort((left, right) => left.user - right.user)
    .map(({ seen, sum, ...figures }) => ({ ...figures, iterations: seen.size, meanMs: sum / figures.samples }));
}
