import type { PlayedState, Run } from '@sturdy/core';
import { scriptDigest } from '../scripts/script-digest.js';
import type { PlannedRun } from './plan-run.js';
import type { RunStore } from './run-store.js';

/** The scripts and data tables of a run as they are when it begins, so that runs can be compared by what they played. */
export async function playedStates(store: Pick<RunStore, 'scriptVersions'>, { scripts, tables }: PlannedRun): Promise<Run['played']> {
  const states: PlayedState[] = [];
  for (const script of scripts) {
    const [newest] = await store.scriptVersions(script.id);
    states.push({ id: script.id, name: script.name, version: newest?.number ?? null, mark: scriptDigest(script) });
  }
  return {
    scripts: states,
    tables: tables.map(({ id, name, version, rowCount }) => ({ id, name, version, mark: `${version} ${rowCount}`, rows: rowCount })),
  };
}
