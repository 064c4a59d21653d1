import { randomUUID } from 'node:crypto';
import {
  BlackoutSchema,
  nextStart,
  runSeconds,
  ScheduledStartSchema,
  GivenScheduleSchema,
  ScheduleViewSchema,
  startsBetween,
  type Schedule,
  type ScheduleView,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const InSchedule = InProject.extend({ scheduleId: z.string() });

/** Schedules, single starts of them, and times in which nothing may run. */
export const scheduleRoutes = ({ store, scheduler, clock }: Services): AnyRoute[] => {
  const viewOf = async (projectId: string): Promise<ScheduleView> => ({
    schedules: await store.schedules(projectId),
    blackouts: (await store.projectSettings(projectId)).blackouts ?? [],
    starts: await store.scheduledStarts(projectId),
    seconds: Object.fromEntries((await store.workloads(projectId)).map((workload) => [workload.id, runSeconds(workload)])),
    now: new Date(clock.now()).toISOString(),
  });
  const need = async (projectId: string, id: string): Promise<Schedule> => {
    const schedule = (await store.schedules(projectId)).find((known) => known.id === id);
    if (!schedule) throw notFound('schedule', id);
    return schedule;
  };
  /** Keeps a schedule; what was due up to now is neither begun nor called missed. */
  const keep = async (schedule: Schedule): Promise<ScheduleView> => {
    const workload = await store.workload(schedule.workloadId);
    if (workload?.projectId !== schedule.projectId)
      throw new Problem(422, 'The workload is gone', 'The workload of this schedule has been deleted. Choose another one.');
    const now = clock.now();
    if (!schedule.isPaused && nextStart(schedule, now) === null)
      throw new Problem(422, 'It would never begin', 'No start of this schedule lies ahead. Choose a day or a time that is still to come.');
    await store.saveSchedule(schedule, new Date(now).toISOString());
    scheduler.wake();
    return viewOf(schedule.projectId);
  };
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/schedules',
      summary: 'The schedules of a project, what became of their starts, and times in which nothing may run',
      params: InProject,
      result: ScheduleViewSchema,
      handle: ({ params }) => viewOf(params.projectId),
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/schedules',
      summary: 'Let runs of a workload begin by themselves',
      params: InProject,
      body: GivenScheduleSchema,
      result: ScheduleViewSchema,
      handle: ({ params, body }) => keep({ ...body, id: randomUUID(), projectId: params.projectId, changes: [] }),
    }),
    route({
      method: 'put',
      path: '/projects/:projectId/schedules/:scheduleId',
      summary: 'Change a schedule; what was put off or canceled stays so where the start is still in it',
      params: InSchedule,
      body: GivenScheduleSchema,
      result: ScheduleViewSchema,
      handle: async ({ params, body }) => keep({ ...(await need(params.projectId, params.scheduleId)), ...body }),
    }),
    route({
      method: 'delete',
      path: '/projects/:projectId/schedules/:scheduleId',
      summary: 'Delete a schedule; its runs stay',
      params: InSchedule,
      result: ScheduleViewSchema,
      handle: async ({ params }) => {
        await store.deleteSchedule((await need(params.projectId, params.scheduleId)).id);
        return viewOf(params.projectId);
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/schedules/:scheduleId/change',
      summary: 'Put one start off, cancel it, or have it back',
      params: InSchedule,
      body: z.object({
        planned: z.iso.datetime().describe('the start, as the schedule has it'),
        to: z.union([z.iso.datetime(), z.literal('canceled'), z.literal('as planned')]),
      }),
      result: ScheduleViewSchema,
      handle: async ({ params, body, request }) => {
        const schedule = await need(params.projectId, params.scheduleId);
        const others = schedule.changes.filter(({ planned }) => planned !== body.planned);
        const plannedMs = Date.parse(body.planned);
        const asPlanned = startsBetween({ ...schedule, changes: [] }, plannedMs - 1, plannedMs, 1);
        if (asPlanned.length === 0)
          throw new Problem(422, 'No such start', 'The schedule has no start at that moment. Look at the list of its starts again.');
        const now = clock.now();
        const current = schedule.changes.find(({ planned }) => planned === body.planned);
        if (Date.parse(current?.to ?? body.planned) <= now)
          throw new Problem(409, 'It has come', 'That start has come already, so it cannot be changed.');
        const to = body.to === 'canceled' || body.to === 'as planned' ? null : body.to;
        if (to !== null && Date.parse(to) <= now)
          throw new Problem(422, 'That is over', 'Put the start off to a moment that is still to come.');
        if (body.to === 'as planned' && plannedMs <= now)
          throw new Problem(422, 'That is over', 'The moment that the schedule has for it is over. Put it off to another one.');
        const changes = body.to === 'as planned' ? others : [...others, { planned: body.planned, to, by: personOf(request) }];
        await store.saveStartChanges({ ...schedule, changes: changes.slice(-500) });
        scheduler.wake();
        return viewOf(params.projectId);
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/schedules/:scheduleId/readiness',
      summary: 'Look now whether the next run of a schedule will be able to begin; this plays rehearsals',
      params: InSchedule,
      result: ScheduledStartSchema,
      handle: async ({ params }) => {
        const schedule = await need(params.projectId, params.scheduleId);
        const start = nextStart(schedule, clock.now());
        if (!start) throw new Problem(409, 'Nothing comes', 'No start of this schedule lies ahead, or it is paused.');
        return scheduler.lookNow(schedule, start);
      },
    }),
    route({
      method: 'put',
      path: '/projects/:projectId/blackouts',
      summary: 'Say when nothing may run',
      params: InProject,
      body: z.object({ blackouts: z.array(BlackoutSchema).max(100) }),
      result: ScheduleViewSchema,
      handle: async ({ params, body }) => {
        const settings = await store.projectSettings(params.projectId);
        await store.saveProjectSettings(params.projectId, { ...settings, blackouts: body.blackouts });
        return viewOf(params.projectId);
      },
    }),
  ];
};
