import { randomUUID } from 'node:crypto';
import {
  askAgain,
  briefAsSigned,
  briefDocument,
  BriefSchema,
  BriefViewSchema,
  dayText,
  signBrief,
  SignatureSchema,
  signatureStates,
  workloadOf,
  WorkloadSchema,
  type Brief,
  type Workload,
} from '@sturdy/core';
import * as z from 'zod';
import { documentEndings } from '../documents/write-document.js';
import { documentFormats } from '../documents/document-formats.js';
import { Problem } from '../problem/problem.js';
import { sizingFor } from '../workloads/brief-fit.js';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** What a project's test is for, who signed it, and the workload that follows from it. */
export const briefRoutes = ({ store, projects, compute }: Services): AnyRoute[] => {
  const viewOf = async (projectId: string, brief: Brief) => ({
    // What was signed is read as a document of its own.
    brief: { ...brief, signatures: brief.signatures.map(({ signed: _signed, ...signature }) => signature) },
    signatures: signatureStates(brief),
    askAgain: askAgain(brief),
    sizing: await sizingFor(store, projectId, brief),
  });
  const keep = async (projectId: string, brief: Brief) => {
    await store.saveBrief(projectId, brief);
    return viewOf(projectId, brief);
  };
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/brief',
      summary: 'The brief of a project, its signatures and its sizing sheet',
      params: InProject,
      result: BriefViewSchema,
      handle: async ({ params }) => viewOf(params.projectId, await store.brief(params.projectId)),
    }),
    route({
      method: 'put',
      path: '/projects/:projectId/brief',
      summary: 'Save the brief; signatures stay as they are, and hold no more where something was changed',
      params: InProject,
      body: BriefSchema,
      result: BriefViewSchema,
      handle: async ({ params, body }) => {
        const { signatures } = await store.brief(params.projectId);
        return keep(params.projectId, { ...body, signatures });
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/brief/signatures',
      summary: 'Sign the brief as it is now',
      params: InProject,
      body: SignatureSchema.pick({ by: true, role: true }),
      result: BriefViewSchema,
      handle: async ({ params, body }) =>
        keep(params.projectId, signBrief(await store.brief(params.projectId), { ...body, at: new Date().toISOString() })),
    }),
    route({
      method: 'delete',
      path: '/projects/:projectId/brief/signatures',
      summary: 'Take a signature back',
      params: InProject,
      query: z.object({ by: z.string() }),
      result: BriefViewSchema,
      handle: async ({ params, query }) => {
        const brief = await store.brief(params.projectId);
        return keep(params.projectId, { ...brief, signatures: brief.signatures.filter(({ by }) => by !== query.by) });
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/brief/workload',
      summary: 'Make a workload of the sizing sheet',
      params: InProject,
      result: WorkloadSchema,
      handle: async ({ params, request }) => {
        const { projectId } = params;
        const brief = await store.brief(projectId);
        const made = workloadOf(brief, await sizingFor(store, projectId, brief));
        if (made.crews.length === 0)
          throw new Problem(
            422,
            'There is nothing to size',
            'No script of this project plays a key transaction with a rate. Name transactions as scripts have them, and give them a rate an hour.',
          );
        const workload: Workload = { ...made, id: randomUUID(), projectId };
        await store.saveWorkload(workload, personOf(request), new Date().toISOString(), 'Made of the brief');
        return workload;
      },
    }),
    ...documentEndings.map((format) =>
      route({
        method: 'get',
        path: `/projects/:projectId/brief/signed.${format}`,
        summary: `The brief as somebody signed it, as ${format.toUpperCase()}`,
        params: InProject,
        query: z.object({ by: z.string().max(300) }),
        produces: documentFormats[format],
        handle: async ({ params, query, response }) => {
          const { name } = await projects.need(params.projectId);
          const signed = briefAsSigned(await store.brief(params.projectId), query.by);
          if (!signed)
            throw new Problem(
              404,
              'Nothing signed is kept',
              `Nobody of the name “${query.by}” signed this brief, or the signature is older than what is kept of one.`,
            );
          // The sizing sheet is of today and was not signed.
          const document = briefDocument(signed, { project: name, day: dayText(new Date(signed.signatures[0]?.at ?? '')), sizing: [] });
          const bytes = await compute.writeDocument(document, format);
          response.type(documentFormats[format]).attachment(`brief-as-signed.${format}`).send(Buffer.from(bytes));
        },
      }),
    ),
    ...documentEndings.map((format) =>
      route({
        method: 'get',
        path: `/projects/:projectId/brief.${format}`,
        summary: `The brief as ${format.toUpperCase()}`,
        params: InProject,
        produces: documentFormats[format],
        handle: async ({ params, response }) => {
          const { name } = await projects.need(params.projectId);
          const brief = await store.brief(params.projectId);
          const sizing = await sizingFor(store, params.projectId, brief);
          const document = briefDocument(brief, { project: name, day: dayText(new Date()), sizing });
          const bytes = await compute.writeDocument(document, format);
          response.type(documentFormats[format]).attachment(`brief.${format}`).send(Buffer.from(bytes));
        },
      }),
    ),
  ];
};
