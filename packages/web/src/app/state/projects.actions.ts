import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Project, ProjectSummary } from '@sturdy/core';

/** All projects of the server. */
export const projectsActions = createActionGroup({
  source: 'Projects',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ projects: ProjectSummary[] }>(),
    'Project wanted': props<{ name: string }>(),
    /** It is named anew, archived, deleted, or had back. */
    'Project changed': props<{ project: Project }>(),
    'Removal wanted': props<{ id: string }>(),
  },
});
