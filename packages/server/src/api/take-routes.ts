import { randomUUID } from 'node:crypto';
import { once } from 'node:events';
import {
  answerBody,
  BesideRowSchema,
  bodyKind,
  CountedTakeSchema,
  ExchangeSchema,
  exportHar,
  isRequest,
  maskRequest,
  maskText,
  maskUrl,
  ScriptOptionsSchema,
  ScriptSchema,
  SearchHitSchema,
  signInsInAddresses,
  surveyBodies,
  SurveySchema,
  TakeSchema,
  usualTidy,
  withSignIns,
  writeCurl,
  type Exchange,
  type RequestExchange,
  type Take,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem/problem.js';
import { countedNumber, InProject, InTake, severalOf } from './parameters.js';
import { keepScript } from '../scripts/keep-script.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { needTake } from './script-of.js';
import { sendPage } from './send-page.js';
import type { Services } from './services.js';

const Empty = z.object({});

/** Takes: their exchanges, what is found in them, their export, and the script made from one. */
export const takeRoutes = ({ store, compute, live, secrets }: Services): AnyRoute[] => {
  const theTake = async (id: string): Promise<Take> => {
    const take = await store.take(id);
    if (!take) throw notFound('take', id);
    return take;
  };
  const theExchange = async (takeId: string, n: number): Promise<Exchange> => {
    const exchange = await store.exchange(takeId, n);
    if (!exchange) throw notFound('exchange', `${n} of the take ${takeId}`);
    return exchange;
  };
  /** The request of that number, or the one that opened the WebSocket over which that message went. */
  const theRequest = async (takeId: string, n: number): Promise<RequestExchange> => {
    const exchange = await theExchange(takeId, n);
    return exchange.kind === 'request' ? exchange : theRequest(takeId, exchange.openedBy);
  };
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/takes',
      summary: 'The takes of a project',
      params: InProject,
      result: z.array(CountedTakeSchema),
      handle: ({ params }) => store.takes(params.projectId),
    }),
    route({
      method: 'get',
      path: '/takes/:takeId',
      summary: 'One take with its exchanges',
      params: InTake,
      result: z.object({ take: TakeSchema, exchanges: z.array(ExchangeSchema) }),
      handle: async ({ params }) => {
        const take = await theTake(params.takeId);
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
        const take = await theTake(params.takeId);
        const user = (await store.scripts(take.projectId)).find((script) => script.takeId === take.id);
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
      summary: 'A take, or one exchange of it, as HAR 1.2; secrets are masked unless they are asked for',
      params: InTake,
      query: z.object({ secrets: z.enum(['masked', 'shown']).default('masked'), exchange: countedNumber.optional() }),
      produces: 'application/json',
      handle: async ({ params, query, response }) => {
        const take = await theTake(params.takeId);
        // Messages over a WebSocket stand in the entry of its handshake.
        const all =
          query.exchange === undefined ? (await store.exchanges(take.id)).filter(isRequest) : [await theRequest(take.id, query.exchange)];
        const masks = query.secrets === 'masked';
        const known = masks ? await secrets.of(take.projectId, [take.id]) : null;
        const hide = (text: string) => known?.hide(maskText(text)) ?? text;
        // Titles of pages may be addresses, with secrets in them.
        const shown = masks
          ? { ...take, harLog: null, marks: take.marks.map((mark) => ({ ...mark, text: known?.hide(maskUrl(mark.text)) ?? mark.text })) }
          : take;
        response.attachment(`${take.name.replace(/[^\w -]+/g, '_')}.har`).type('application/json');
        // Entry by entry, so that a large take does not stand in memory twice.
        const { log } = exportHar(shown, [], () => undefined);
        const head = JSON.stringify({ log: { ...log, entries: [] } });
        response.write(head.slice(0, head.lastIndexOf('[]') + 1));
        for (const [index, exchange] of all.entries()) {
          const bytes = new Map<string, Uint8Array>();
          for (const ref of [exchange.requestBody, exchange.response?.body ?? null]) {
            const body = ref ? await store.body(ref.hash) : null;
            if (ref && body)
              bytes.set(ref.hash, masks && isText(ref.mimeType) ? Buffer.from(hide(Buffer.from(body.bytes).toString('utf8'))) : body.bytes);
          }
          const entry = exportHar(shown, [known ? known.hideIn(maskRequest(exchange)) : exchange], (hash) => bytes.get(hash)).log[
            'entries'
          ] as unknown[];
          if (!response.write(`${index > 0 ? ',' : ''}${JSON.stringify(entry[0])}`))
            await Promise.race([once(response, 'drain'), once(response, 'close')]);
          // Whoever asked may have left.
          if (response.destroyed) return;
        }
        response.end(']}}');
      },
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/secrets',
      summary:
        'What is secret in some exchanges and bodies of a take, as it is spelled there, to be masked on screen; and what was typed in it',
      params: InTake,
      query: z.object({ exchange: severalOf(countedNumber), body: severalOf(z.string()) }),
      result: z.array(z.string()),
      handle: async ({ params, query }) => secrets.standingIn(await theTake(params.takeId), query.exchange, query.body),
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/exchanges/:n/curl',
      summary:
        'A request, or the one that opened the WebSocket of a message, as a command line of curl; secrets are masked unless they are asked for',
      params: InTake.extend({ n: countedNumber }),
      query: z.object({ secrets: z.enum(['masked', 'shown']).default('masked') }),
      result: z.object({ text: z.string() }),
      handle: async ({ params, query }) => {
        const exchange = await theRequest(params.takeId, params.n);
        const body = exchange.requestBody ? await store.body(exchange.requestBody.hash) : null;
        if (query.secrets === 'shown') return { text: writeCurl(exchange, body?.bytes) };
        const known = await secrets.of((await theTake(params.takeId)).projectId, [params.takeId]);
        const hidden =
          body && exchange.requestBody && isText(exchange.requestBody.mimeType)
            ? Buffer.from(known.hide(maskText(Buffer.from(body.bytes).toString('utf8'))))
            : body?.bytes;
        return { text: writeCurl(known.hideIn(maskRequest(exchange)), hidden) };
      },
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/survey',
      summary: 'What a take holds as far as a script needs it, and what is suspicious about it',
      params: InTake,
      result: SurveySchema,
      handle: async ({ params }) => {
        const take = await theTake(params.takeId);
        const exchanges = await store.exchanges(take.id);
        return compute.survey({ take, exchanges, bodies: await store.bodyTexts(surveyBodies(exchanges)), bytes: {} });
      },
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/search',
      summary: 'Every place of a take, bodies too, where a text stands',
      params: InTake,
      query: z.object({ text: z.string().min(1) }),
      result: z.object({ hits: z.array(SearchHitSchema), more: z.boolean() }),
      handle: async ({ params, query }) => compute.search(await needTake(store, params.takeId), query.text),
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/beside/:otherId',
      summary: 'Two takes laid beside each other',
      params: InTake.extend({ otherId: z.string() }),
      result: z.array(BesideRowSchema),
      handle: async ({ params }) => compute.beside(await needTake(store, params.takeId), await needTake(store, params.otherId)),
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/exchanges/:n/page',
      summary: 'A recorded page as a picture: without scripts, with the style sheets and images of the same take',
      params: InTake.extend({ n: countedNumber }),
      produces: 'text/html',
      handle: async ({ params, response }) => {
        const exchange = await theRequest(params.takeId, params.n);
        const body = exchange.response?.body ? await store.body(exchange.response.body.hash) : null;
        sendPage(response, body?.bytes ?? null, exchange.url, params.takeId);
      },
    }),
    route({
      method: 'get',
      path: '/takes/:takeId/file',
      summary: 'A style sheet or image of a take by its address',
      params: InTake,
      query: z.object({ url: z.url() }),
      produces: 'application/octet-stream',
      handle: async ({ params, query, response }) => {
        const exchange = await store.exchangeByUrl(params.takeId, query.url);
        const ref = exchange && answerBody(exchange);
        const body = ref && /^(image\/|text\/css)/.test(ref.mimeType) ? await store.body(ref.hash) : null;
        if (!ref || !body) throw notFound('file in this take', query.url);
        response.setHeader('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'; sandbox");
        // The picture of a page is shown in a frame that belongs to no origin.
        response.setHeader('Cross-Origin-Resource-Policy', 'cross-origin');
        response.type(ref.mimeType).send(Buffer.from(body.bytes));
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
      body: ScriptOptionsSchema,
      result: ScriptSchema,
      handle: async ({ params, body, request }) => {
        const stored = await needTake(store, params.takeId);
        if (stored.exchanges.length === 0)
          throw new Problem(
            422,
            'The take is empty',
            'It holds no exchange, so there is nothing to play. Record again with the proxy set in the browser.',
          );
        const survey = body.tidy && body.transactions ? null : await compute.survey(stored);
        const tidy = body.tidy ?? survey?.proposal ?? usualTidy;
        const transactions = body.transactions ?? survey?.transactions ?? [];
        const signIns = signInsInAddresses(stored.exchanges);
        const script = await compute.scriptFromTake(stored, {
          scriptId: randomUUID(),
          name: body.name,
          tidy,
          transactions,
          signedIn: signIns.map((signIn) => signIn.origin),
        });
        if (script.transactions.length === 0)
          throw new Problem(422, 'Nothing is left', 'Every exchange was left out. Keep at least one host, or the static files.');
        // Users and passwords belong to where the script is played, not into the script.
        if (signIns.length > 0)
          for (const environment of await store.environments(stored.take.projectId))
            await store.saveEnvironment(withSignIns(environment, signIns));
        await keepScript(store, script, { by: personOf(request) });
        return script;
      },
    }),
  ];
};

const isText = (mimeType: string): boolean => bodyKind(mimeType) !== 'binary';
