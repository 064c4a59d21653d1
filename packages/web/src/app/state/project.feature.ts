import { createFeature, createReducer, on } from '@ngrx/store';
import type { Board, Environment, LiveState } from '@sturdy/core';
import { projectActions } from './project.actions';

interface ProjectState {
  name: string;
  environment: Environment | null;
  /** True while a changed environment is on its way to the server: what is shown is the one before. */
  isSavingEnvironment: boolean;
  board: Board | null;
  live: LiveState;
}
const initial: ProjectState = {
  name: '',
  environment: null,
  isSavingEnvironment: false,
  board: null,
  live: { recording: null, run: null, databaseAway: null },
};

export const projectFeature = createFeature({
  name: 'project',
  reducer: createReducer(
    initial,
    on(projectActions.loaded, (state, { name, environment }) => ({ ...state, name, environment })),
    on(projectActions.boardLoaded, (state, { board }) => ({ ...state, board })),
    on(projectActions.liveLoaded, (state, { live }) => ({ ...state, live })),
    on(projectActions.environmentChanged, (state) => ({ ...state, isSavingEnvironment: true })),
    on(projectActions.environmentSaved, (state, { environment }) => ({ ...state, environment, isSavingEnvironment: false })),
    on(projectActions.environmentSaveFailed, (state) => ({ ...state, isSavingEnvironment: false })),
  ),
});
