import { asking } from './asking';
import { exploreActions } from './explore.actions';

export const exploreEffects = {
  load: asking(
    [exploreActions.asked],
    (api) => api.savedViews(),
    ({ views, questions }) => exploreActions.loaded({ views, questions }),
  ),
  keep: asking(
    [exploreActions.keepWanted],
    (api, { views, questions }) => api.saveViews({ views, questions }),
    ({ views, questions }) => exploreActions.loaded({ views, questions }),
    { inTurn: true },
  ),
};
