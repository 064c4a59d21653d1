import type { PlayedState, Run } from '../analyse/run.schema.js';
import type { TableVersion } from '../data/table-change.schema.js';
import { counted, type Version } from '../versions/version.js';
import { sayWorkloadChange } from '../workload/workload-version.js';
import type { RunComparison } from './compare.schema.js';

/** The versions of scripts and data tables by their ids, the newest first. */
export interface Histories {
  scripts: Record<string, readonly Version[]>;
  tables: Record<string, readonly TableVersion[]>;
}
export const noHistories: Histories = { scripts: {}, tables: {} };

/** Changes that are told one by one. */
const mostTold = 5;

/** What was played otherwise than in the first run: release, environment, workload, scripts and data. */
export function changesOf(first: Run, run: Run, histories: Histories): RunComparison['changes'] {
  const changes: RunComparison['changes'] = [];
  const add = (about: RunComparison['changes'][number]['about'], sentence: string) => changes.push({ about, run: run.number, sentence });
  const name = (environment: Run['environment']) => environment?.name ?? 'an unknown one';
  if (first.release !== run.release)
    add('release', `The release was “${run.release ?? 'not said'}” instead of “${first.release ?? 'not said'}”.`);
  if (first.environmentId !== run.environmentId)
    add('environment', `It was played in ${name(run.environment)} instead of ${name(first.environment)}.`);
  if (first.workload.id !== run.workload.id)
    add('workload', `It played the workload “${run.workload.name}” instead of “${first.workload.name}”.`);
  const workload = sayWorkloadChange(
    { ...first.workload, id: run.workload.id, name: run.workload.name, seed: run.workload.seed },
    run.workload,
  );
  if (workload !== '') add('workload', `In the workload: ${workload}.`);
  if (!first.played || !run.played) {
    const unknown = [first, run].filter(({ played }) => !played).map(({ number }) => number);
    add('script', `What scripts and data held was not noted for ${unknown.length === 1 ? 'run' : 'runs'} ${unknown.join(' and ')}.`);
    return changes;
  }
  for (const sentence of stateChanges(['played', 'play'], first.played.scripts, run.played.scripts, histories.scripts))
    add('script', sentence);
  for (const sentence of stateChanges(['used', 'use'], first.played.tables, run.played.tables, histories.tables)) add('data', sentence);
  return changes;
}

/** What was played in one of two runs alone, and what was not the same in both. */
function stateChanges(
  [past, present]: readonly [past: string, present: string],
  before: readonly PlayedState[],
  after: readonly PlayedState[],
  histories: Record<string, readonly Pick<Version, 'number' | 'what' | 'by'>[]>,
): string[] {
  const known = new Map(before.map((state) => [state.id, state]));
  const played = new Set(after.map(({ id }) => id));
  return [
    ...after.filter(({ id }) => !known.has(id)).map(({ name }) => `It ${past} “${name}”, which the other did not.`),
    ...before.filter(({ id }) => !played.has(id)).map(({ name }) => `It did not ${present} “${name}”, which the other did.`),
    ...after.flatMap((state) => {
      const was = known.get(state.id);
      return was && was.mark !== state.mark ? [sayStateChange(was, state, histories[state.id] ?? [])] : [];
    }),
  ];
}

function sayStateChange(was: PlayedState, is: PlayedState, versions: readonly Pick<Version, 'number' | 'what' | 'by'>[]): string {
  const rows =
    was.rows !== is.rows && was.rows !== undefined && is.rows !== undefined
      ? ` It had ${inFull(is.rows)} rows instead of ${inFull(was.rows)}.`
      : '';
  if (was.version === null || is.version === null) return `“${is.name}” was not the same.${rows}`;
  if (was.version === is.version)
    return `“${is.name}” was not the same, though both played version ${is.version}: it was edited again while that version was open, or a part that it plays was changed.${rows}`;
  const [from, to] = [Math.min(was.version, is.version), Math.max(was.version, is.version)];
  const between = versions.filter(({ number }) => number > from && number <= to).reverse();
  const told = between.slice(-mostTold).map(({ what, by }) => `${what} (${by})`);
  const more = between.length - told.length;
  const words = told.length === 0 ? '' : `; between them: ${more > 0 ? `${counted(more, 'change')} before, then ` : ''}${told.join('; ')}`;
  return `“${is.name}” was at version ${is.version} instead of ${was.version}${words}.${rows}`;
}

const inFull = (count: number): string => count.toLocaleString('en');
