import { misfits, sizingOf, type Brief, type SizingRow, type Workload } from '@sturdy/core';
import type { Store } from '../store/store-client.js';
import { plannedScripts } from './planned-scripts.js';

type BriefStore = Pick<Store, 'brief' | 'scripts' | 'exchanges'>;

/** The sizing sheet of a project: of each script that plays key transactions. */
export async function sizingFor(store: BriefStore, projectId: string, brief: Brief): Promise<SizingRow[]> {
  const keys = new Set(brief.transactions.map(({ transaction }) => transaction));
  const playing = (await store.scripts(projectId)).filter(({ transactions }) => transactions.some(({ name }) => keys.has(name)));
  const { scripts, requestMs } = await plannedScripts(store, projectId, new Set(playing.map(({ id }) => id)));
  return sizingOf(brief, [...scripts.values()], requestMs);
}

/** Where a workload does not ask for what the brief wants, in sentences. */
export async function briefMisfits(store: BriefStore, workload: Workload): Promise<string[]> {
  const brief = await store.brief(workload.projectId);
  if (brief.transactions.length === 0) return [];
  const { scripts, requestMs } = await plannedScripts(store, workload.projectId, new Set(workload.crews.map(({ scriptId }) => scriptId)));
  return misfits(brief, workload, [...scripts.values()], requestMs);
}
