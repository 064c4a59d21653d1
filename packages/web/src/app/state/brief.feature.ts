import { createFeature, createReducer, on } from '@ngrx/store';
import type { BriefView } from '@sturdy/core';
import { briefActions } from './brief.actions';

interface BriefState {
  view: BriefView | null;
  /** True while what is shown is not stored yet. */
  saving: boolean;
}
const initial: BriefState = { view: null, saving: false };

export const briefFeature = createFeature({
  name: 'brief',
  reducer: createReducer(
    initial,
    on(briefActions.loaded, (state, { view }) => ({ ...state, view, saving: false })),
    on(briefActions.changed, (state, { brief }) => (state.view ? { view: { ...state.view, brief }, saving: true } : state)),
    on(briefActions.saved, (state, { view }) => ({
      // What was typed since is newer than what was stored.
      view: state.saving && state.view ? { ...view, brief: { ...state.view.brief, signatures: view.brief.signatures } } : view,
      saving: false,
    })),
    on(briefActions.saveFailed, (state) => ({ ...state, saving: false })),
  ),
});
