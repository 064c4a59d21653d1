import {
  boundColumns,
  loopedTables,
  partSecrets,
  usersProblem,
  type DataTable,
  type Environment,
  type Script,
  type Workload,
} from '@sturdy/core';
import { compile, CompileError, type Plan } from '@sturdy/engine';
import { Problem } from '../problem/problem.js';
import type { Reach } from '../environments/reach.js';
import { bodyFiles } from '../scripts/body-files.js';
import { mostListed } from '../rows/most-listed.js';
import type { PlanSupplies } from './plan-delivery.js';
import type { RunStore } from './run-store.js';

/** What a run plays, and from which tables. */
export interface PlannedRun extends PlanSupplies {
  scripts: Script[];
  /** One for each generator; they lack only the id of the run. */
  plans: Omit<Plan, 'runId'>[];
  tables: DataTable[];
  /** Where the watches of its hosts may go. */
  reach: Reach;
}

/** Deals a workload out over its generators. Throws a problem where it cannot be played. */
export async function planRun(
  store: Pick<RunStore, 'scripts' | 'tables' | 'rows' | 'body'>,
  workload: Workload,
  environment: Environment,
  withSamples: boolean,
  shownSigns: Plan['shownSigns'],
): Promise<PlannedRun> {
  if (workload.crews.length === 0) throw new Problem(422, 'No crew', 'The workload has no crew. Add one and choose the script it plays.');
  const all = await store.scripts(workload.projectId);
  const scripts: Script[] = [];
  for (const crew of workload.crews) {
    const script = all.find((candidate) => candidate.id === crew.scriptId);
    if (!script)
      throw new Problem(422, 'A script is missing', `The crew “${crew.name}” plays a script that was deleted. Choose another one for it.`);
    if (!scripts.includes(script)) scripts.push(script);
  }
  const files = await bodyFiles(store, scripts);
  try {
    for (const script of scripts) compile(script, environment, { readFile: (hash) => files.get(hash) });
  } catch (error) {
    if (error instanceof CompileError) throw new Problem(422, 'The workload cannot be played', error.message);
    throw error;
  }
  const tooMany = usersProblem(environment, workload.crews, scripts);
  if (tooMany !== null) throw new Problem(422, 'More users than are cleared', tooMany);
  const known = await store.tables(workload.projectId);
  const tables = [...new Set(scripts.flatMap((script) => [...boundColumns(script).keys()]))].map((id) => {
    const table = known.find((dataTable) => dataTable.id === id);
    if (!table) throw new Problem(422, 'A data table is gone', 'A script takes data from a table that was deleted. Bind the value again.');
    if (table.rowCount === (table.deal.use === 'again' ? 0 : table.spentCount))
      throw new Problem(
        422,
        'No free row left',
        `The table “${table.name}” has no free row. Add rows or release spent ones, then start again.`,
      );
    return table;
  });
  const generators = Math.max(1, workload.generators);
  let user = 0;
  const seats = workload.crews.map((crew) => ({
    crew,
    users: Array.from({ length: crew.users }, (_, place) => ({ place, user: ++user })),
  }));
  const looped = new Set(scripts.flatMap(loopedTables));
  const planned: Plan['tables'] = await Promise.all(
    tables.map(async ({ id, columns, deal }) => ({
      table: id,
      columns: columns.map((column) => column.name),
      deal,
      ...(looped.has(id) && deal.use === 'again' ? { rows: await store.rows(id, 1, mostListed) } : {}),
    })),
  );
  const { shown, secrets } = partSecrets(environment);
  const plans = Array.from({ length: generators }, (_, generator) => ({
    version: 1 as const,
    generator,
    generators,
    scripts,
    crews: seats.map(({ crew, users }) => ({ crew, users: users.filter((seat) => seat.user % generators === generator) })),
    curve: workload.curve,
    environment: shown,
    ...(shownSigns && { shownSigns }),
    seed: workload.seed,
    samples: withSamples,
    tables: planned,
    files: [...files.keys()],
    secrets: secrets.map(({ name }) => name),
  }));
  return { scripts, plans, tables, files, secrets, reach: { environment } };
}
