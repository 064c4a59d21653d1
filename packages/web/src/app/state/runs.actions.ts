import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { HostPoint, HostSeries, LanePoint, LiveSecond, Run, RunResult, UserLogEntry, UserState } from '@sturdy/core';

/** Runs, the open one with its figures, and what comes live. */
export const runsActions = createActionGroup({
  source: 'Runs',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: Run[] }>(),
    Opened: props<{ id: string }>(),
    Closed: emptyProps(),
    Loaded: props<{ result: RunResult; lanes: LanePoint[]; hosts: HostSeries[]; users: UserState[] }>(),
    'Host read': props<{ point: HostPoint }>(),
    'Second came': props<{ live: LiveSecond }>(),
    'Run changed': props<{ run: Run }>(),
    'Finish wanted': props<{ id: string }>(),
    'Abort wanted': props<{ id: string }>(),
    'Pause wanted': props<{ id: string }>(),
    'Resume wanted': props<{ id: string }>(),
    'Next phase wanted': props<{ id: string }>(),
    'Users wanted': props<{ id: string; crew: string; users: number }>(),
    'User watched': props<{ id: string; user: number; captures: boolean }>(),
    'Log came': props<{ entries: UserLogEntry[] }>(),
    'Note written': props<{ id: string; text: string }>(),
    Asked: emptyProps(),
  },
});
