import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import type { Board, Environment, LiveState } from '@sturdy/core';
import { projectId } from '../shared/api';
import { projectActions } from './project.actions';

interface ProjectState {
  environments: readonly Environment[];
  /** Id of the environment in which this browser records, plays and asks. */
  chosen: string | null;
  /** True while a changed environment is on its way to the server: what is shown is the one before. */
  isSavingEnvironment: boolean;
  board: Board | null;
  live: LiveState;
}
const initial: ProjectState = {
  environments: [],
  chosen: null,
  isSavingEnvironment: false,
  board: null,
  live: { recording: null, run: null, databaseAway: null },
};

/** The same with an environment that is one of its own: what was deleted is chosen no more. */
const chosenAmong = (state: ProjectState): ProjectState => ({
  ...state,
  chosen: state.environments.some(({ id }) => id === state.chosen) ? state.chosen : (state.environments[0]?.id ?? null),
});

export const projectFeature = createFeature({
  name: 'project',
  reducer: createReducer(
    initial,
    on(projectActions.loaded, (state, { environments, chosen }) => chosenAmong({ ...state, environments, chosen })),
    on(projectActions.boardLoaded, (state, { board }) => ({ ...state, board })),
    on(projectActions.liveLoaded, (state, { live }) => ({ ...state, live })),
    on(projectActions.environmentChosen, (state, { id }) => chosenAmong({ ...state, chosen: id })),
    on(projectActions.environmentChanged, (state) => ({ ...state, isSavingEnvironment: true })),
    on(projectActions.environmentSaved, (state, { environment }) => ({
      ...state,
      environments: state.environments.some(({ id }) => id === environment.id)
        ? state.environments.map((known) => (known.id === environment.id ? environment : known))
        : [...state.environments, environment],
      isSavingEnvironment: false,
    })),
    on(projectActions.environmentSaveFailed, (state) => ({ ...state, isSavingEnvironment: false })),
    on(projectActions.environmentRemoved, (state, { id }) =>
      chosenAmong({ ...state, environments: state.environments.filter((environment) => environment.id !== id) }),
    ),
  ),
  extraSelectors: ({ selectEnvironments, selectChosen, selectLive }) => ({
    /** What is recorded in this project; null where nothing is, or another one records. */
    selectRecordingHere: createSelector(selectLive, ({ recording }) => (recording?.projectId === projectId ? recording : null)),
    /** The environment in which this browser records, plays and asks; null before it is loaded. */
    selectEnvironment: createSelector(
      selectEnvironments,
      selectChosen,
      (environments, chosen) => environments.find(({ id }) => id === chosen) ?? null,
    ),
  }),
});
