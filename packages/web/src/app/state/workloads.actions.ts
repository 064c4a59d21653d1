import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Forecast, Workload } from '@sturdy/core';

/** Workloads, the one being edited, and its forecast. */
export const workloadsActions = createActionGroup({
  source: 'Workloads',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: Workload[] }>(),
    Opened: props<{ id: string }>(),
    'Make wanted': props<{ workload: Omit<Workload, 'id' | 'projectId'> }>(),
    Made: props<{ workload: Workload }>(),
    Changed: props<{ workload: Workload }>(),
    Saved: emptyProps(),
    /** Asks once more for the forecast of a workload that has not changed: where it would be played has. */
    'Forecast asked': props<{ workload: Workload }>(),
    'Forecast loaded': props<{ forecast: Forecast }>(),
    'Run wanted': props<{ id: string }>(),
    'Run start ended': emptyProps(),
    'Delete wanted': props<{ id: string }>(),
  },
});
