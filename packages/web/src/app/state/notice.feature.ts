import { createFeature, createReducer, on } from '@ngrx/store';
import type { ListedNotice, NoticeSettings } from '@sturdy/core';
import { noticeActions } from './notice.actions';

interface NoticeState {
  /** As they are kept; secrets are not shown. */
  settings: NoticeSettings | null;
  list: readonly ListedNotice[];
  saving: boolean;
  /** Id of the group that is being tried. */
  trying: string | null;
  /** What came of the last trial. */
  tried: readonly ListedNotice[];
}
const initial: NoticeState = { settings: null, list: [], saving: false, trying: null, tried: [] };

export const noticeFeature = createFeature({
  name: 'notice',
  reducer: createReducer(
    initial,
    on(noticeActions.settingsLoaded, (state, { settings }) => ({ ...state, settings })),
    on(noticeActions.settingsWanted, (state) => ({ ...state, saving: true })),
    on(noticeActions.settingsSaved, (state, { settings }) => ({ ...state, settings, saving: false })),
    on(noticeActions.settingsRefused, (state) => ({ ...state, saving: false })),
    on(noticeActions.listLoaded, (state, { list }) => ({ ...state, list })),
    on(noticeActions.trialWanted, (state, { group }) => ({ ...state, trying: group, tried: [] })),
    on(noticeActions.trialEnded, (state, { notices }) => ({ ...state, trying: null, tried: notices })),
    on(noticeActions.trialFailed, (state) => ({ ...state, trying: null })),
  ),
});
