import { boundColumns, loopedTables } from '../script-edit/bind-value.js';
import type { Script } from '../script/script.schema.js';
import { actionKindOf, exchangesOf, isAction } from '../actions/action-kinds.js';
import type { Step } from '../script/step.schema.js';
import type { Template } from '../values/template.schema.js';
import { movingPieces } from '../values/template.js';
import { isEndless, type DataTable } from '../data/data-table.schema.js';
import { runSeconds, expectedArrivals, spansOf } from './curve.js';
import { pauseMs } from './policies.js';
import type { Crew, Workload } from './workload.schema.js';

export interface CrewForecast {
  crew: string;
  iterations: number;
  requests: number;
  iterationSeconds: number;
}

export interface TableForecast {
  table: string;
  rowsNeeded: number;
  rowsFree: number;
  /** Seconds after the start of the run when the rows run out; null where they last. */
  emptyAtSeconds: number | null;
}

/** What a run will do, as far as it can be told beforehand. */
export interface Forecast {
  seconds: number;
  users: number;
  iterations: number;
  requests: number;
  crews: CrewForecast[];
  tables: TableForecast[];
  /** Origins to which it goes; empty where nobody said in which environment. */
  targets: string[];
  /** What prevents a run, in sentences. */
  obstacles: string[];
  warnings: string[];
}

/** The steps that are played in each iteration. */
const eachIteration = (script: Script): Step[] =>
  script.transactions.flatMap((transaction) => (transaction.phase ? [] : transaction.steps));

/** Length of one iteration in seconds as recorded: requests and pauses, with the crew's think time. */
export function iterationSeconds(script: Script, crew: Crew, requestMs: (exchange: number) => number): number {
  const lasts = (step: Step): number => {
    if (isAction(step)) return exchangesOf(step).reduce((sum, n) => sum + requestMs(n), 0);
    switch (step.kind) {
      case 'pause':
        return pauseMs(step.ms, crew.think);
      case 'comment':
      case 'log':
      case 'variable':
      case 'cookie':
      case 'code':
      case 'meet':
        return 0;
      case 'when':
        return step.steps.reduce((sum, innerStep) => sum + lasts(innerStep), 0);
      case 'side-by-side':
        return Math.max(...step.steps.map(lasts));
      case 'repeat':
        return (
          step.times * step.steps.reduce((sum, innerStep) => sum + lasts(innerStep), 0) +
          (step.times - 1) * pauseMs(step.pauseMs, crew.think)
        );
    }
  };
  return eachIteration(script).reduce((sum, step) => sum + lasts(step), 0) / 1000;
}

/** Actions of one iteration, redirects and rounds counted. */
export function iterationActions(script: Script): number {
  const count = (step: Step): number => {
    if (isAction(step)) return Math.max(1, exchangesOf(step).length);
    if (!('steps' in step)) return 0;
    return (step.kind === 'repeat' ? step.times : 1) * step.steps.reduce((sum, innerStep) => sum + count(innerStep), 0);
  };
  return eachIteration(script).reduce((sum, step) => sum + count(step), 0);
}

/** Rows of a table that one iteration takes where each use takes one: by its requests, and by the rounds of loops through its rows. */
export function rowsPerIteration(script: Script, table: string, perUse: boolean): number {
  const takes = (template: Template): boolean =>
    [...movingPieces(template)].some((piece) => piece.kind === 'data' && piece.table === table);
  const count = (step: Step): number => {
    if (isAction(step)) return perUse && actionKindOf(step).sent(step).some(takes) ? 1 : 0;
    if (!('steps' in step)) return 0;
    const inside = step.steps.reduce((sum, innerStep) => sum + count(innerStep), 0);
    if (step.kind !== 'repeat') return inside;
    return step.times * (inside + (step.loop?.kind === 'each-row' && step.loop.table === table ? 1 : 0));
  };
  return eachIteration(script).reduce((sum, step) => sum + count(step), 0);
}

/** Rows that a crew takes from a table. */
function neededRows(table: DataTable | undefined, script: Script, users: number, iterations: number): number {
  if (!table) return iterations;
  const { when, use } = table.deal;
  const isLooped = loopedTables(script).includes(table.id);
  // What may be dealt again is gone through in loops as it stands, and nothing of it runs out.
  if (isLooped && use === 'again') return 0;
  if (when === 'use' || isLooped) return iterations * rowsPerIteration(script, table.id, when === 'use');
  return when === 'iteration' ? iterations : users;
}

/** Seconds from the start of one iteration of a user to the start of the next, where one takes `own` seconds. */
export function cycleSeconds({ pacing }: Crew, iterationLength: number): number {
  const cycle =
    pacing.kind === 'start-to-start'
      ? Math.max(pacing.seconds, iterationLength)
      : pacing.kind === 'end-to-start'
        ? iterationLength + pacing.seconds
        : iterationLength;
  return Math.max(0.001, cycle);
}

/** True where all users start in the same moment. */
const isStampede = ({ curve, crews }: Workload): boolean =>
  (curve.kind === 'at-once' || (curve.kind === 'ramp' && curve.rampUpSeconds === 0)) &&
  crews.some((crew) => crew.users > 1 && !crew.startDelayMs);

/** Forecast of iterations, requests and rows. `requestMs` gives the recorded duration of an exchange of a script. */
export function forecast(
  workload: Workload,
  scripts: ReadonlyMap<string, Script>,
  tables: readonly DataTable[],
  requestMs: (script: Script, exchange: number) => number,
): Forecast {
  const obstacles: string[] = [];
  const warnings: string[] = [];
  const crews: CrewForecast[] = [];
  const perTable = new Map<string, number>();
  const { curve } = workload;
  if (workload.crews.length === 0) obstacles.push('There is no crew yet. Add one and choose the script it plays.');
  for (const crew of workload.crews) {
    const script = scripts.get(crew.scriptId);
    if (!script) {
      obstacles.push(`The crew “${crew.name}” has no script. Choose the script it plays.`);
      continue;
    }
    const iterationLength = iterationSeconds(script, crew, (exchange) => requestMs(script, exchange));
    const cycle = cycleSeconds(crew, iterationLength);
    if (crew.pacing.kind === 'start-to-start' && crew.pacing.seconds < iterationLength && curve.kind !== 'arrivals')
      warnings.push(
        `The pacing of “${crew.name}” is ${crew.pacing.seconds} s, but one iteration takes about ${iterationLength.toFixed(1)} s. The rate will not be reached.`,
      );
    let iterations = 0;
    if (curve.kind === 'arrivals') {
      iterations = expectedArrivals(curve, crew);
      const busy = ((crew.ratePerHour ?? 0) / 3600) * iterationLength;
      if (iterations === 0) obstacles.push(`The crew “${crew.name}” has no rate. Say how many iterations start in an hour.`);
      // Users under way: rate times duration (Little 1961).
      else if (busy > crew.users)
        warnings.push(
          `At ${crew.ratePerHour ?? 0} an hour about ${Math.ceil(busy)} users of “${crew.name}” are under way at a time, but ${crew.users} is the most. Iterations will be left out.`,
        );
    } else
      for (let n = 0; n < crew.users; n++)
        for (const { startSeconds, endSeconds } of spansOf(curve, crew, n))
          iterations += Math.min(crew.iterations ?? Infinity, Math.max(0, Math.ceil((endSeconds - startSeconds) / cycle)));
    crews.push({ crew: crew.id, iterations, requests: iterations * iterationActions(script), iterationSeconds: iterationLength });
    for (const table of boundColumns(script).keys()) {
      const known = tables.find((dataTable) => dataTable.id === table);
      perTable.set(table, (perTable.get(table) ?? 0) + neededRows(known, script, crew.users, iterations));
      if (!known) obstacles.push(`The script “${script.name}” takes data from a table that is gone. Bind the value again.`);
    }
  }
  for (const table of tables) if (perTable.has(table.id) && table.deal.when === 'run') perTable.set(table.id, 1);
  const seconds = runSeconds(workload);
  const forTables = tables
    .filter((table) => perTable.has(table.id))
    .map((table): TableForecast => {
      const rowsNeeded = perTable.get(table.id) ?? 0;
      const rowsFree = table.deal.use === 'again' ? table.rowCount : table.rowCount - table.spentCount;
      const runsOut = rowsFree < rowsNeeded && !isEndless(table.deal);
      if (rowsFree === 0 && rowsNeeded > 0)
        obstacles.push(`The table “${table.name}” has no free row left. Add rows or release spent ones.`);
      else if (runsOut) warnings.push(`The table “${table.name}” has ${rowsFree} free rows; about ${rowsNeeded} are needed.`);
      return {
        table: table.id,
        rowsNeeded,
        rowsFree,
        emptyAtSeconds: runsOut ? Math.round((rowsFree / rowsNeeded) * seconds) : null,
      };
    });
  if (isStampede(workload)) warnings.push('All users start at once: the first seconds measure a stampede, not a normal day.');
  return {
    seconds,
    users: workload.crews.reduce((sum, crew) => sum + crew.users, 0),
    iterations: crews.reduce((sum, crew) => sum + crew.iterations, 0),
    requests: crews.reduce((sum, crew) => sum + crew.requests, 0),
    crews,
    tables: forTables,
    targets: [],
    obstacles,
    warnings,
  };
}
