import { randomUUID } from 'node:crypto';
import { ExchangeSchema, exportHar, scriptFromTake, ScriptSchema, TakeSchema, type Take } from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem.js';
import { certificatePage, certificateSteps } from '../record/certificate-page.js';
import { usualBodyLimitBytes } from '../record/recorder.js';
import { InProject } from './project-routes.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const InTake = z.object({ takeId: z.string() });
const CountedTake = TakeSchema.extend({ exchangeCount: z.number() });
const Empty = z.object({});

/** Takes: recording, import and export, exchanges, and the script made from one. */
export const takeRoutes = ({ store, compute, recorder, live }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/projects/:projectId/takes',
    summary: 'The takes of a project',
    params: InProject,
    result: z.array(CountedTake),
    handle: ({ params }) => store.takes(params.projectId),
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/takes/record',
    summary: 'Start recording a take',
    params: InProject,
    body: z.object({
      name: z.string().trim().min(1, 'Give the take a name.').max(120),
      forNetwork: z.boolean().default(false),
      bodyLimitBytes: z
        .number()
        .int()
        .min(1024)
        .max(512 << 20)
        .default(usualBodyLimitBytes),
    }),
    result: z.object({ take: TakeSchema, proxy: z.string() }),
    handle: async ({ params, body }) => {
      const [environment] = await store.environments(params.projectId);
      if (!environment)
        throw new Problem(409, 'No environment', 'The project has no environment, so no host may be recorded. Make one first.');
      const take = await recorder.start(params.projectId, body, environment);
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
    result: z.object({
      fingerprint: z.string(),
      steps: z.array(z.object({ where: z.string(), trust: z.string(), remove: z.string() })),
    }),
    handle: async () => ({ fingerprint: (await recorder.authority()).fingerprint, steps: certificateSteps }),
  }),
  route({
    method: 'get',
    path: '/recorder/certificate.crt',
    summary: 'The certificate itself, in DER',
    produces: 'application/x-x509-ca-cert',
    handle: async ({ response }) => {
      certificatePage('/sturdy-recording.crt', response, await recorder.authority());
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
  route({
    method: 'post',
    path: '/projects/:projectId/takes/import',
    summary: 'Import a HAR 1.2 file as a take',
    params: InProject,
    query: z.object({ name: z.string().trim().min(1).max(120) }),
    rawBody: 'application/json',
    result: z.object({ take: TakeSchema, exchangeCount: z.number(), problems: z.array(z.object({ entry: z.number(), text: z.string() })) }),
    handle: async ({ params, query, request }) => {
      const har = await compute.importHar(request.body as Uint8Array).catch((error: unknown) => {
        throw new Problem(422, 'Not a HAR file', error instanceof Error ? error.message : 'The file cannot be read.');
      });
      const take: Take = {
        id: randomUUID(),
        projectId: params.projectId,
        name: query.name,
        startedAt: har.startedAt,
        state: 'done',
        marks: har.marks,
        harLog: har.harLog,
      };
      await store.putBodies(har.bodies);
      await store.saveTake(take);
      await store.saveExchanges(take.id, har.exchanges);
      return { take, exchangeCount: har.exchanges.length, problems: har.problems.slice(0, 100) };
    },
  }),
  route({
    method: 'get',
    path: '/takes/:takeId',
    summary: 'One take with its exchanges',
    params: InTake,
    result: z.object({ take: TakeSchema, exchanges: z.array(ExchangeSchema) }),
    handle: async ({ params }) => {
      const take = await store.take(params.takeId);
      if (!take) throw notFound('take', params.takeId);
      return { take, exchanges: await store.exchanges(take.id) };
    },
  }),
  route({
    method: 'delete',
    path: '/takes/:takeId',
    summary: 'Delete a take',
    params: InTake,
    result: Empty,
    handle: async ({ params }) => {
      const take = await store.take(params.takeId);
      if (!take) throw notFound('take', params.takeId);
      const user = (await store.scripts(take.projectId)).find((one) => one.takeId === take.id);
      if (user)
        throw new Problem(
          409,
          'The take is in use',
          `The script “${user.name}” was made from it and is compared with it. Delete that script first.`,
        );
      await store.deleteTake(take.id);
      return {};
    },
  }),
  route({
    method: 'get',
    path: '/takes/:takeId/live',
    summary: 'The exchanges of a recording as they come (server-sent events)',
    params: InTake,
    produces: 'text/event-stream',
    handle: ({ params, response }) => {
      live.listen(params.takeId, response);
    },
  }),
  route({
    method: 'get',
    path: '/takes/:takeId/har',
    summary: 'A take as HAR 1.2',
    params: InTake,
    produces: 'application/json',
    handle: async ({ params, response }) => {
      const take = await store.take(params.takeId);
      if (!take) throw notFound('take', params.takeId);
      const exchanges = await store.exchanges(take.id);
      const bytes = new Map<string, Uint8Array>();
      for (const hash of new Set(exchanges.flatMap((one) => [one.requestBody?.hash, one.response?.body?.hash]))) {
        const body = hash === undefined ? null : await store.body(hash);
        if (hash !== undefined && body) bytes.set(hash, body.bytes);
      }
      response.attachment(`${take.name.replace(/[^\w -]+/g, '_')}.har`).json(exportHar(take, exchanges, (hash) => bytes.get(hash)));
    },
  }),
  route({
    method: 'get',
    path: '/bodies/:hash',
    summary: 'A stored body, as plain bytes',
    params: z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/) }),
    produces: 'application/octet-stream',
    handle: async ({ params, response }) => {
      const body = await store.body(params.hash);
      if (!body) throw notFound('body', params.hash);
      // Recorded content is never run here: it is always sent as plain text or bytes.
      response.setHeader('Content-Security-Policy', "sandbox; default-src 'none'");
      response.setHeader('X-Content-Type-Options', 'nosniff');
      response
        .type(/^(image|font|audio|video)\//.test(body.mimeType) ? 'application/octet-stream' : 'text/plain; charset=utf-8')
        .send(Buffer.from(body.bytes));
    },
  }),
  route({
    method: 'post',
    path: '/takes/:takeId/script',
    summary: 'Make a script from a take',
    params: InTake,
    body: z.object({
      name: z.string().trim().min(1, 'Give the script a name.').max(120),
      origins: z.array(z.string()).nullable(),
      keepStaticFiles: z.boolean(),
      longestPauseMs: z.number().min(0).max(600_000),
    }),
    result: ScriptSchema,
    handle: async ({ params, body }) => {
      const stored = await store.loadTake(params.takeId);
      if (!stored) throw notFound('take', params.takeId);
      if (stored.exchanges.length === 0)
        throw new Problem(
          422,
          'The take is empty',
          'It holds no exchange, so there is nothing to play. Record again with the proxy set in the browser.',
        );
      const script = scriptFromTake({ ...stored, readBody: (hash) => stored.bodies[hash] }, { ...body, scriptId: randomUUID() });
      if (script.transactions.length === 0)
        throw new Problem(422, 'Nothing is left', 'Every exchange was left out. Keep at least one host, or the static files.');
      await store.saveScript(script);
      return script;
    },
  }),
];
