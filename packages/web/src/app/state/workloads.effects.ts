import { asking } from './asking';
import { workloadsActions } from './workloads.actions';

export const workloadsEffects = {
  list: asking(
    [workloadsActions.listAsked, workloadsActions.opened],
    (api) => api.workloads(),
    (list, asked) => {
      const loaded = workloadsActions.listLoaded({ list });
      const opened = 'id' in asked ? list.find(({ id }) => id === asked.id) : undefined;
      return opened ? [loaded, workloadsActions.changed({ workload: opened })] : loaded;
    },
  ),
  make: asking(
    [workloadsActions.makeWanted],
    (api, { workload }) => api.makeWorkload(workload),
    (workload) => workloadsActions.made({ workload }),
    { goTo: ({ id }) => ['/workloads', id] },
  ),
  save: asking(
    [workloadsActions.changed],
    (api, { workload }) => api.saveWorkload(workload),
    () => workloadsActions.saved(),
    { quietMs: 250 },
  ),
  forecast: asking(
    [workloadsActions.changed, workloadsActions.forecastAsked],
    (api, { workload }) => api.forecast(workload),
    (forecast) => workloadsActions.forecastLoaded({ forecast }),
    { quietMs: 120 },
  ),
  run: asking(
    [workloadsActions.runWanted],
    (api, { id }) => api.startRun(id),
    () => workloadsActions.runStartEnded(),
    { failed: workloadsActions.runStartEnded(), goTo: ({ id }) => ['/runs', id] },
  ),
  remove: asking(
    [workloadsActions.deleteWanted],
    (api, { id }) => api.deleteWorkload(id),
    () => workloadsActions.listAsked(),
    { goTo: () => ['/workloads'] },
  ),
};
