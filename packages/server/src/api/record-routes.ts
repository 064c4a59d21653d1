import { CertificateHelpSchema, MadeSecondTakeSchema, TakeSchema, RecordingOptionsSchema } from '@sturdy/core';
import * as z from 'zod';
import { certificateSteps } from '../record/certificate-page.js';
import { usualBodyLimitBytes } from '../record/recorder.js';
import { notFound } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { askerOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const Empty = z.object({});
const InTake = z.object({ takeId: z.string() });

/** The recorder: start, marks, pause, stop, the clean browser, and its certificate. */
export const recordRoutes = ({ environments, projects, recorder, secondTakes, store }: Services): AnyRoute[] => [
  route({
    method: 'post',
    path: '/projects/:projectId/takes/record',
    summary: 'Start recording a take',
    params: InProject,
    body: RecordingOptionsSchema.extend({
      bodyLimitBytes: z
        .number()
        .int()
        .min(1024)
        .max(512 << 20)
        .default(usualBodyLimitBytes),
    }),
    result: z.object({ take: TakeSchema, proxy: z.string() }),
    handle: async ({ params, body, request }) => {
      const { by, chosen } = askerOf(request);
      const environment = await environments.inUse(params.projectId, chosen);
      const take = await recorder.start(params.projectId, body, environment);
      await environments.noteUse(environment, environment.targets, `The recording “${take.name}”`, by);
      return { take, proxy: recorder.current?.proxy ?? '' };
    },
  }),
  route({
    method: 'post',
    path: '/takes/record/pause',
    summary: 'Pause the recording (traffic passes on and is not kept), or resume it',
    body: z.object({ paused: z.boolean() }),
    result: TakeSchema,
    handle: ({ body }) => recorder.pause(body.paused),
  }),
  route({
    method: 'post',
    path: '/takes/record/discard',
    summary: 'Throw the last exchanges of the recording away, with the marks set since',
    body: z.object({ count: z.number().int().min(1).max(10_000) }),
    result: z.object({ exchanges: z.array(z.number()) }),
    handle: async ({ body }) => ({ exchanges: await recorder.discardLast(body.count) }),
  }),
  route({
    method: 'get',
    path: '/recorder/certificate',
    summary: 'The certificate authority of the recorder: its fingerprint, and how to trust and remove it in each place',
    result: CertificateHelpSchema,
    handle: async () => ({ fingerprint: (await recorder.authority()).fingerprint, steps: certificateSteps }),
  }),
  route({
    method: 'get',
    path: '/recorder/certificate.crt',
    summary: 'The certificate itself, in DER',
    produces: 'application/x-x509-ca-cert',
    handle: async ({ response }) => {
      await recorder.sendCertificate(response);
    },
  }),
  route({
    method: 'post',
    path: '/takes/record/marks',
    summary: 'Mark the present moment of the recording: begin or end of a transaction, or a comment',
    body: z.object({
      kind: z.enum(['begin', 'end', 'comment']),
      text: z.string().trim().min(1, 'Say what begins, ends or is to be noted.').max(200),
    }),
    result: TakeSchema,
    handle: ({ body }) => recorder.mark(body.kind, body.text),
  }),
  route({
    method: 'post',
    path: '/takes/:takeId/second',
    summary: 'Make a second take: the gestures of a take are played again through the recorder, with other values where a person was free',
    params: InTake,
    body: z.object({
      inWindow: z.boolean().default(false).describe('in a window, in which a person can do by hand what cannot be played'),
    }),
    result: MadeSecondTakeSchema,
    handle: async ({ params, body, request }) => {
      const take = await store.take(params.takeId);
      if (!take) throw notFound('take', params.takeId);
      await projects.need(take.projectId);
      const { by, chosen } = askerOf(request);
      const environment = await environments.inUse(take.projectId, chosen);
      const made = await secondTakes.make(take.id, environment, body.inWindow);
      await environments.noteUse(environment, environment.targets, `The second take of “${take.name}”`, by);
      return made;
    },
  }),
  route({
    method: 'post',
    path: '/takes/:takeId/second/answer',
    summary: 'Go on with a second take after something was done by hand, or end it there',
    params: InTake,
    body: z.object({ goesOn: z.boolean() }),
    result: Empty,
    handle: ({ params, body }) => {
      secondTakes.answer(params.takeId, body.goesOn);
      return {};
    },
  }),
  route({
    method: 'post',
    path: '/takes/:takeId/second/cancel',
    summary: 'Give up making a second take; nothing of it is kept',
    params: InTake,
    result: z.object({ canceled: z.boolean() }),
    handle: ({ params }) => ({ canceled: secondTakes.cancel(params.takeId) }),
  }),
  route({ method: 'post', path: '/takes/record/stop', summary: 'Stop recording', result: TakeSchema, handle: () => recorder.stop() }),
  route({
    method: 'post',
    path: '/takes/record/browser',
    summary: 'Open a clean browser that records',
    body: z.object({ address: z.url() }),
    result: Empty,
    handle: async ({ body }) => {
      await recorder.openBrowser(body.address);
      return {};
    },
  }),
];
