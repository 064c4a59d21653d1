import { randomUUID } from 'node:crypto';
import { ImportedTakeSchema, mediaType, noTimings, readCurl, type CurlRequest, type RequestExchange, type Take } from '@sturdy/core';
import * as z from 'zod';
import { importWorkerFile } from '../shipped/files.js';
import { importHarStream } from '../import/import-har.js';
import { Problem } from '../problem/problem.js';
import { storedBody, type StoredBody } from '../store/stored-body.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Takes that others recorded: HAR files, and pasted commands. */
export const importRoutes = ({ store }: Services): AnyRoute[] => [
  route({
    method: 'post',
    path: '/projects/:projectId/takes/import',
    summary: 'Import a HAR 1.2 file as a take, while it is uploaded',
    params: InProject,
    query: z.object({ name: z.string().trim().min(1).max(120) }),
    streamBody: 'application/json',
    result: ImportedTakeSchema,
    handle: async ({ params, query, request }) => {
      const imported = await importHarStream(store, importWorkerFile, request, { projectId: params.projectId, name: query.name });
      return { ...imported, problems: imported.problems.slice(0, 100) };
    },
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/takes/paste',
    summary: 'Make a take of command lines of curl, as browsers copy them',
    params: InProject,
    body: z.object({
      name: z.string().trim().min(1, 'Give the take a name.').max(120),
      text: z.string().min(1, 'Paste at least one command.'),
    }),
    result: ImportedTakeSchema,
    handle: async ({ params, body }) => {
      const { requests, problems } = readCurl(body.text);
      const problemsByEntry = problems.map(({ command, text }) => ({ entry: command, text }));
      if (requests.length === 0)
        throw new Problem(
          422,
          'No request in it',
          problemsByEntry[0] ? `Command ${problemsByEntry[0].entry}: ${problemsByEntry[0].text}` : 'There is no command in the text.',
        );
      const { exchanges, bodies } = pasted(requests);
      const take: Take = {
        id: randomUUID(),
        projectId: params.projectId,
        name: body.name,
        startedAt: new Date().toISOString(),
        state: 'done',
        marks: [],
        harLog: null,
      };
      await store.putBodies(bodies);
      await store.saveTake(take);
      await store.saveExchanges(take.id, exchanges);
      return { take, exchangeCount: exchanges.length, problems: problemsByEntry };
    },
  }),
];

const pauseBetweenPastedMs = 1000;

/** Pasted requests as exchanges: nobody has sent them yet, so they have no answer. */
function pasted(requests: readonly CurlRequest[]): {
  exchanges: RequestExchange[];
  bodies: StoredBody[];
} {
  const bodies: StoredBody[] = [];
  const exchanges = requests.map((request, index): RequestExchange => {
    const body = request.body === null ? null : storedBody(Buffer.from(request.body), mediaType(request.headers));
    if (body) bodies.push(body.stored);
    return {
      kind: 'request',
      n: index + 1,
      startedAtMs: index * pauseBetweenPastedMs,
      durationMs: 0,
      method: request.method,
      url: request.url,
      httpVersion: 'HTTP/1.1',
      requestHeaders: request.headers,
      requestBody: body?.ref ?? null,
      response: null,
      failure: 'It was pasted as a command, so the take has no answer for it.',
      timings: noTimings,
      harEntry: null,
    };
  });
  return { exchanges, bodies };
}
