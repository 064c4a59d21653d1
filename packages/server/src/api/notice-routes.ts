import { hideNoticeSecrets, ListedNoticeSchema, NoticeSettingsSchema, restoreNoticeSecrets, trialNotice } from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Who is told of what, by mail and webhook, and what became of each notice. */
export const noticeRoutes = ({ store, projects, notices }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/projects/:projectId/notice-settings',
    summary: 'Who is told, and how; secrets are not shown',
    params: InProject,
    result: NoticeSettingsSchema,
    handle: async ({ params }) => hideNoticeSecrets(await store.noticeSettings(params.projectId)),
  }),
  route({
    method: 'put',
    path: '/projects/:projectId/notice-settings',
    summary: 'Say who is told; a secret that comes back as it was shown stays as it is',
    params: InProject,
    body: NoticeSettingsSchema,
    result: NoticeSettingsSchema,
    handle: async ({ params, body }) => {
      const settings = restoreNoticeSecrets(body, await store.noticeSettings(params.projectId));
      const faulty = settings.groups.find((group) => group.webhooks.some(({ secret }) => secret === ''));
      if (faulty)
        throw new Problem(422, 'A secret is missing', `A webhook of “${faulty.name}” has no secret to be signed with. Give it one.`);
      await store.saveNoticeSettings(params.projectId, settings);
      return hideNoticeSecrets(settings);
    },
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/notice-settings/groups/:groupId/trial',
    summary: 'Send a trial to a group, and tell whether it arrived',
    params: InProject.extend({ groupId: z.string() }),
    result: z.array(ListedNoticeSchema),
    handle: async ({ params, request }) => {
      const { groups } = await store.noticeSettings(params.projectId);
      const group = groups.find(({ id }) => id === params.groupId);
      if (!group) throw notFound('group', params.groupId);
      if (group.addresses.length + group.webhooks.length === 0)
        throw new Problem(422, 'Nobody to tell', `“${group.name}” has no recipient yet. Add an address or a webhook first.`);
      const { name } = await projects.need(params.projectId);
      const document = trialNotice(name, group.name, personOf(request));
      return notices.try(group, { projectId: params.projectId, kind: 'trial', document, path: '/notice' });
    },
  }),
  route({
    method: 'get',
    path: '/projects/:projectId/notices',
    summary: 'The newest notices, and whether they arrived',
    params: InProject,
    result: z.array(ListedNoticeSchema),
    handle: ({ params }) => store.notices(params.projectId),
  }),
];
