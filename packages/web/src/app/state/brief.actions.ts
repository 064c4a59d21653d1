import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Brief, BriefView, Workload } from '@sturdy/core';

/** The brief of the project, and what follows from it. */
export const briefActions = createActionGroup({
  source: 'Brief',
  events: {
    Asked: emptyProps(),
    Loaded: props<{ view: BriefView }>(),
    /** Shown at once, and saved when nothing more is changed for a moment. */
    Changed: props<{ brief: Brief }>(),
    Saved: props<{ view: BriefView }>(),
    'Save failed': emptyProps(),
    'Signature wanted': props<{ by: string; role: string }>(),
    'Signature taken back': props<{ by: string }>(),
    'Workload wanted': emptyProps(),
    'Workload made': props<{ workload: Workload }>(),
  },
});
