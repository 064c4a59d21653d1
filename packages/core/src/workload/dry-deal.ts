import * as z from 'zod';
import { isEndless, type DataTable } from '../data/data-table.schema.js';
import { boundColumns, loopedTables } from '../script-edit/bind-value.js';
import type { Script } from '../script/script.schema.js';
import seedrandom from 'seedrandom';
import { arrivalTimes, spansOf } from './curve.js';
import { cycleSeconds, iterationSeconds, rowsPerIteration } from './forecast.js';
import type { Workload } from './workload.schema.js';

/** Rows of one table that one iteration would be dealt; `rows` is shorter than wanted where the table has no more. */
export const DryRowsSchema = z.object({
  table: z.string(),
  rows: z.array(z.object({ row: z.number().int(), values: z.array(z.string()) })),
  /** Rows that it would take beyond those that are shown. */
  further: z.number().int().nonnegative(),
  /** What happens where the table has no row for it; null where it has. */
  empty: z.enum(['stop-user', 'end-run']).nullable(),
});

/** What one iteration would be dealt. */
export const DryIterationSchema = z.object({
  crew: z.string(),
  /** Number of the user in the run, from 1. */
  user: z.number().int(),
  iteration: z.number().int(),
  /** About when it would start, in seconds since the start of the run. */
  atSeconds: z.number(),
  takes: z.array(DryRowsSchema),
});
export type DryIteration = z.infer<typeof DryIterationSchema>;

/** A deal that was played through without taking a row: places in the order of each table, from 0. */
export interface DryDeal {
  iterations: (Omit<DryIteration, 'takes'> & {
    takes: { table: string; places: number[]; further: number; empty: 'stop-user' | 'end-run' | null }[];
  })[];
  /** By table how many places were used. */
  used: Map<string, number>;
}

/** Rows of one iteration that are shown, at the most. */
const shownRows = 3;

/**
 * Who would get which row in the first iterations of a run, as its forecast goes. `most` iterations are played through. The order of a table
 * is left to those who know it: places are counted from 0.
 */
export function dryDeal(
  workload: Workload,
  scripts: ReadonlyMap<string, Script>,
  tables: readonly DataTable[],
  requestMs: (script: Script, exchange: number) => number,
  most: number,
): DryDeal {
  const starts = firstStarts(workload, scripts, requestMs, most);
  const used = new Map<string, number>();
  const kept = new Map<string, number>();
  const gone = new Set<number>();
  const iterations: DryDeal['iterations'] = [];
  const available = new Map(
    tables.map((table) => [
      table.id,
      isEndless(table.deal) ? Infinity : table.deal.use === 'again' ? table.rowCount : table.rowCount - table.spentCount,
    ]),
  );
  for (const start of starts) {
    if (gone.has(start.user)) continue;
    const script = scripts.get(start.scriptId);
    if (!script) continue;
    const looped = new Set(loopedTables(script));
    const takes: DryDeal['iterations'][number]['takes'] = [];
    for (const id of boundColumns(script).keys()) {
      const table = tables.find((dataTable) => dataTable.id === id);
      // What a loop goes through as it stands is dealt to nobody.
      if (!table || (looped.has(id) && table.deal.use === 'again')) continue;
      const { when, whenEmpty } = table.deal;
      const key = when === 'user' ? `${id} ${start.user}` : when === 'run' ? id : null;
      const before = key === null ? undefined : kept.get(key);
      if (before !== undefined) {
        takes.push({ table: id, places: [before], further: 0, empty: null });
        continue;
      }
      const wanted = when === 'use' || looped.has(id) ? rowsPerIteration(script, id, when === 'use') : 1;
      const from = used.get(id) ?? 0;
      const given = Math.min(wanted, (available.get(id) ?? 0) - from);
      used.set(id, from + given);
      if (key !== null && given > 0) kept.set(key, from);
      const places = Array.from({ length: Math.min(shownRows, given) }, (_, at) => from + at);
      // A loop that finds no more rows is over; everything else needs its row.
      const empty = given < wanted && !looped.has(id) ? (whenEmpty === 'end-run' ? whenEmpty : 'stop-user') : null;
      takes.push({ table: id, places, further: given - places.length, empty });
    }
    iterations.push({ crew: start.crew, user: start.user, iteration: start.iteration, atSeconds: start.atSeconds, takes });
    const ends = takes.map((take) => take.empty);
    if (ends.includes('end-run')) break;
    if (ends.includes('stop-user')) gone.add(start.user);
  }
  return { iterations, used };
}

interface Start {
  crew: string;
  scriptId: string;
  user: number;
  iteration: number;
  atSeconds: number;
}

/** The first iterations of all users in the order in which they would start. */
function firstStarts(
  workload: Workload,
  scripts: ReadonlyMap<string, Script>,
  requestMs: (script: Script, exchange: number) => number,
  most: number,
): Start[] {
  const { curve } = workload;
  const starts: Start[] = [];
  let user = 0;
  for (const crew of workload.crews) {
    const script = scripts.get(crew.scriptId);
    const iterationLength = script ? iterationSeconds(script, crew, (exchange) => requestMs(script, exchange)) : 1;
    const cycle = cycleSeconds(crew, iterationLength);
    if (curve.kind === 'arrivals') {
      // Each arrival is played by a user of its own.
      for (const atSeconds of arrivalTimes(curve, crew, seedrandom(`${workload.seed}:arrivals:${crew.id}`)).slice(0, most))
        starts.push({ crew: crew.id, scriptId: crew.scriptId, user: ++user, iteration: 1, atSeconds });
      continue;
    }
    for (let place = 0; place < crew.users; place++) {
      user++;
      let iteration = 0;
      for (const span of spansOf(curve, crew, place))
        for (
          let atSeconds = span.startSeconds;
          atSeconds < span.endSeconds && iteration < Math.min(most, crew.iterations ?? most);
          atSeconds += cycle
        )
          starts.push({ crew: crew.id, scriptId: crew.scriptId, user, iteration: ++iteration, atSeconds });
    }
  }
  return starts.sort((left, right) => left.atSeconds - right.atSeconds || left.user - right.user).slice(0, most);
}
