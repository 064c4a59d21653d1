import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Board, Environment, LiveState } from '@sturdy/core';

/** The project, its environments, its board, and what is live. */
export const projectActions = createActionGroup({
  source: 'Project',
  events: {
    Opened: emptyProps(),
    /** `chosen` is the environment that was chosen in this browser before; null where none was. */
    Loaded: props<{ environments: Environment[]; chosen: string | null }>(),
    'Board asked': emptyProps(),
    'Board loaded': props<{ board: Board }>(),
    'Live asked': emptyProps(),
    'Live loaded': props<{ live: LiveState }>(),
    'Environment chosen': props<{ id: string }>(),
    'Environment changed': props<{ environment: Environment }>(),
    'Environment saved': props<{ environment: Environment }>(),
    'Environment save failed': emptyProps(),
    'Environment wanted': props<{ name: string; copyOf?: string }>(),
    'Environment removal wanted': props<{ id: string }>(),
    'Environment removed': props<{ id: string }>(),
    'Withdrawal wanted': props<{ environment: string; origin: string }>(),
  },
});
