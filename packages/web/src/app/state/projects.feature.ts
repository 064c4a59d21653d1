import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import type { ImportedProject, ProjectSummary } from '@sturdy/core';
import { projectsActions } from './projects.actions';

interface ProjectsState {
  list: readonly ProjectSummary[];
  /** True once the list has been read: before that nobody knows whether it is empty. */
  listed: boolean;
  /** How many bytes of a project that is being imported are uploaded, while there is one. */
  importing: { loaded: number; total: number } | null;
  /** What the last import or copy made, and what it still needs; null once somebody has closed it. */
  imported: ImportedProject | null;
}
const initial: ProjectsState = { list: [], listed: false, importing: null, imported: null };

export const projectsFeature = createFeature({
  name: 'projects',
  reducer: createReducer(
    initial,
    on(projectsActions.listLoaded, (state, { projects }): ProjectsState => ({ ...state, list: projects, listed: true })),
    on(projectsActions.fileChosen, (state, { file }): ProjectsState => ({
      ...state,
      importing: { loaded: 0, total: file.size },
      imported: null,
    })),
    on(projectsActions.importProgressed, (state, { loaded, total }): ProjectsState => ({ ...state, importing: { loaded, total } })),
    on(projectsActions.importFailed, (state): ProjectsState => ({ ...state, importing: null })),
    on(projectsActions.projectImported, (state, { imported }): ProjectsState => ({ ...state, importing: null, imported })),
    on(projectsActions.secretsKept, (state, { missing }): ProjectsState => ({
      ...state,
      imported: state.imported && { ...state.imported, missing },
    })),
    on(projectsActions.importClosed, (state): ProjectsState => ({ ...state, imported: null })),
  ),
  extraSelectors: ({ selectList }) => ({
    /** Those that are in use. */
    selectActive: createSelector(selectList, (list) => list.filter(({ state }) => state === 'active')),
  }),
});
