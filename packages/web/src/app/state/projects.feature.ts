import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import type { ProjectSummary } from '@sturdy/core';
import { projectsActions } from './projects.actions';

interface ProjectsState {
  list: readonly ProjectSummary[];
  /** True once the list has been read: before that nobody knows whether it is empty. */
  listed: boolean;
}
const initial: ProjectsState = { list: [], listed: false };

export const projectsFeature = createFeature({
  name: 'projects',
  reducer: createReducer(
    initial,
    on(projectsActions.listLoaded, (state, { projects }): ProjectsState => ({ ...state, list: projects, listed: true })),
  ),
  extraSelectors: ({ selectList }) => ({
    /** Those that are in use. */
    selectActive: createSelector(selectList, (list) => list.filter(({ state }) => state === 'active')),
  }),
});
