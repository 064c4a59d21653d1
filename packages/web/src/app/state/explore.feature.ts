import { createFeature, createReducer, on } from '@ngrx/store';
import type { SavedQuestion, SavedView } from '@sturdy/core';
import { exploreActions } from './explore.actions';

interface ExploreState {
  views: readonly SavedView[];
  questions: readonly SavedQuestion[];
}
const initial: ExploreState = { views: [], questions: [] };

export const exploreFeature = createFeature({
  name: 'explore',
  reducer: createReducer(
    initial,
    on(exploreActions.loaded, (_state, { views, questions }) => ({ views, questions })),
  ),
});
