import { createFeature, createReducer, on } from '@ngrx/store';
import type { ScheduleView } from '@sturdy/core';
import { scheduleActions } from './schedule.actions';

interface ScheduleState {
  view: ScheduleView | null;
  /** Id of the schedule whose readiness is being looked at. */
  looking: string | null;
}
const initial: ScheduleState = { view: null, looking: null };

export const scheduleFeature = createFeature({
  name: 'schedule',
  reducer: createReducer(
    initial,
    on(scheduleActions.loaded, (state, { view }) => ({ ...state, view })),
    on(scheduleActions.readinessWanted, (state, { id }) => ({ ...state, looking: id })),
    on(scheduleActions.readinessFailed, (state) => ({ ...state, looking: null })),
    on(scheduleActions.readinessTold, (state, { start }) => ({
      looking: null,
      view: state.view && { ...state.view, starts: [start, ...state.view.starts.filter(({ id }) => id !== start.id)] },
    })),
  ),
});
