import { createFeature, createReducer, on } from '@ngrx/store';
import type { Board, Environment, LiveState } from '@sturdy/core';
import { projectActions } from './project.actions';

interface ProjectState {
  name: string;
  environment: Environment | null;
  board: Board | null;
  live: LiveState;
}
const initial: ProjectState = { name: '', environment: null, board: null, live: { recording: null, run: null, databaseAway: null } };

export const projectFeature = createFeature({
  name: 'project',
  reducer: createReducer(
    initial,
    on(projectActions.loaded, (state, { name, environment }) => ({ ...state, name, environment })),
    on(projectActions.boardLoaded, (state, { board }) => ({ ...state, board })),
    on(projectActions.liveLoaded, (state, { live }) => ({ ...state, live })),
    on(projectActions.environmentSaved, (state, { environment }) => ({ ...state, environment })),
  ),
});
