import { asking } from './asking';
import { messageActions } from './messages';
import { noticeActions } from './notice.actions';

export const noticeEffects = {
  settings: asking(
    [noticeActions.asked],
    (api) => api.noticeSettings(),
    (settings) => noticeActions.settingsLoaded({ settings }),
  ),
  list: asking(
    [noticeActions.asked, noticeActions.listAsked],
    (api) => api.notices(),
    (list) => noticeActions.listLoaded({ list }),
  ),
  save: asking(
    [noticeActions.settingsWanted],
    (api, { settings }) => api.saveNoticeSettings(settings),
    (settings) => [noticeActions.settingsSaved({ settings }), messageActions.told({ tone: 'good', text: 'Saved.' })],
    { inTurn: true, failed: noticeActions.settingsRefused() },
  ),
  trial: asking(
    [noticeActions.trialWanted],
    (api, { group }) => api.tryNotice(group),
    (notices) => [noticeActions.trialEnded({ notices }), noticeActions.listAsked()],
    { failed: noticeActions.trialFailed() },
  ),
};
