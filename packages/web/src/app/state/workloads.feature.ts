import { createFeature, createReducer, on } from '@ngrx/store';
import type { Forecast, Workload } from '@sturdy/core';
import { workloadsActions } from './workloads.actions';

interface WorkloadsState {
  list: Workload[];
  listed: boolean;
  currentId: string | null;
  forecast: Forecast | null;
  starting: boolean;
}
const initial: WorkloadsState = { list: [], listed: false, currentId: null, forecast: null, starting: false };

export const workloadsFeature = createFeature({
  name: 'workloads',
  reducer: createReducer(
    initial,
    on(workloadsActions.listLoaded, (state, { list }) => ({ ...state, list, listed: true })),
    on(workloadsActions.opened, (state, { id }) => ({ ...state, currentId: id, forecast: null, starting: false })),
    on(workloadsActions.made, (state, { workload }) => ({ ...state, list: [...state.list, workload] })),
    on(workloadsActions.changed, (state, { workload }) => ({
      ...state,
      list: state.list.map((known) => (known.id === workload.id ? workload : known)),
    })),
    on(workloadsActions.forecastLoaded, (state, { forecast }) => ({ ...state, forecast })),
    on(workloadsActions.runWanted, (state) => ({ ...state, starting: true })),
    on(workloadsActions.runStartEnded, (state) => ({ ...state, starting: false })),
  ),
});
