import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Blackout, GivenSchedule, ScheduledStart, ScheduleView } from '@sturdy/core';

/** Runs that begin by themselves. */
export const scheduleActions = createActionGroup({
  source: 'Schedule',
  events: {
    Asked: emptyProps(),
    Loaded: props<{ view: ScheduleView }>(),
    /** `id` is null for a new one. */
    'Save wanted': props<{ id: string | null; schedule: GivenSchedule }>(),
    'Delete wanted': props<{ id: string }>(),
    /** `to`: another moment (ISO 8601), canceled, or as the schedule has it. */
    'Change of start wanted': props<{ id: string; planned: string; to: string }>(),
    'Readiness wanted': props<{ id: string }>(),
    'Readiness told': props<{ start: ScheduledStart }>(),
    'Readiness failed': emptyProps(),
    'Blackouts changed': props<{ blackouts: readonly Blackout[] }>(),
  },
});
