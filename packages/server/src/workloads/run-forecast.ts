import { forecast, proofWarning, targetForecast, type Forecast, type Workload } from '@sturdy/core';
import type { Environments } from '../environments/environments.js';
import type { Store } from '../store/store-client.js';
import { briefMisfits } from './brief-fit.js';
import { plannedScripts } from './planned-scripts.js';

/** What a run of a workload would do, where it goes, and what speaks against it. */
export async function runForecast(
  { store, environments }: { store: Store; environments: Environments },
  workload: Workload,
  chosen: string | undefined,
): Promise<Forecast & { targets: string[] }> {
  const { scripts, requestMs } = await plannedScripts(store, workload.projectId, new Set(workload.crews.map(({ scriptId }) => scriptId)));
  const predicted = forecast(workload, scripts, await store.tables(workload.projectId), requestMs);
  const environment = await environments.inUse(workload.projectId, workload.environmentId ?? chosen);
  const there = targetForecast(workload, [...scripts.values()], predicted, environment, Date.now());
  const unproven: string[] = [];
  for (const script of scripts.values()) {
    const warning = proofWarning(script.name, (await store.rehearsals(script.id, 1))[0]);
    if (warning !== null) unproven.push(warning);
  }
  return {
    ...predicted,
    targets: there.targets,
    obstacles: [...predicted.obstacles, ...there.obstacles],
    warnings: [...(await briefMisfits(store, workload)), ...unproven, ...predicted.warnings, ...there.warnings],
  };
}
