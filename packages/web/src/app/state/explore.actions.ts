import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { SavedQuestion, SavedView } from '@sturdy/core';

/** What people look at of runs, as it is kept with the project. */
export const exploreActions = createActionGroup({
  source: 'Explore',
  events: {
    Asked: emptyProps(),
    Loaded: props<{ views: readonly SavedView[]; questions: readonly SavedQuestion[] }>(),
    'Keep wanted': props<{ views: readonly SavedView[]; questions: readonly SavedQuestion[] }>(),
  },
});
