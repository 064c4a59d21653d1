import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { HostNow, ProjectSettings, Watch } from '@sturdy/core';

/** Watched hosts, and what they show now. */
export const hostsActions = createActionGroup({
  source: 'Hosts',
  events: {
    Opened: emptyProps(),
    Closed: emptyProps(),
    Loaded: props<{ settings: ProjectSettings }>(),
    Changed: props<{ watches: Watch[] }>(),
    Read: props<{ now: HostNow[] }>(),
    Unreadable: props<{ problem: string }>(),
  },
});
