import { asking } from './asking';
import { scheduleActions } from './schedule.actions';

export const scheduleEffects = {
  load: asking(
    [scheduleActions.asked],
    (api) => api.schedules(),
    (view) => scheduleActions.loaded({ view }),
  ),
  save: asking(
    [scheduleActions.saveWanted],
    (api, { id, schedule }) => (id === null ? api.addSchedule(schedule) : api.changeSchedule(id, schedule)),
    (view) => scheduleActions.loaded({ view }),
    { inTurn: true },
  ),
  remove: asking(
    [scheduleActions.deleteWanted],
    (api, { id }) => api.deleteSchedule(id),
    (view) => scheduleActions.loaded({ view }),
    { inTurn: true },
  ),
  change: asking(
    [scheduleActions.changeOfStartWanted],
    (api, { id, planned, to }) => api.changeStart(id, planned, to),
    (view) => scheduleActions.loaded({ view }),
    { inTurn: true },
  ),
  look: asking(
    [scheduleActions.readinessWanted],
    (api, { id }) => api.lookAtReadiness(id),
    (start) => scheduleActions.readinessTold({ start }),
    { failed: scheduleActions.readinessFailed() },
  ),
  blackouts: asking(
    [scheduleActions.blackoutsChanged],
    (api, { blackouts }) => api.saveBlackouts(blackouts),
    (view) => scheduleActions.loaded({ view }),
    { inTurn: true },
  ),
};
