import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Board, Environment, LiveState } from '@sturdy/core';

/** The project, its environment, its board, and what is live. */
export const projectActions = createActionGroup({
  source: 'Project',
  events: {
    Opened: emptyProps(),
    Loaded: props<{ name: string; environment: Environment | null }>(),
    'Board asked': emptyProps(),
    'Board loaded': props<{ board: Board }>(),
    'Live loaded': props<{ live: LiveState }>(),
    'Environment changed': props<{ environment: Environment }>(),
    'Environment saved': props<{ environment: Environment }>(),
    'Environment save failed': emptyProps(),
  },
});
