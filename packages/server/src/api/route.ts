import { version } from '@sturdy/core';
import { raw, Router, type Request, type Response } from 'express';
import * as z from 'zod';
import { askersLeave } from '../compute/compute-client.js';
import { Problem } from '../problem/problem.js';
import { storePatience } from '../store/store-client.js';

/** What a handler gets: everything that came in, checked against the route's schemas. */
export interface Asked<P, Q, B> {
  params: P;
  query: Q;
  body: B;
  request: Request;
  response: Response;
}

/** One operation of the API: its schemas validate what comes in and describe it in the OpenAPI document. */
export interface RouteDefinition<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, R extends z.ZodType> {
  method: 'get' | 'post' | 'put' | 'delete';
  /** With `:name` for parameters, below `/api`. */
  path: string;
  summary: string;
  params?: P;
  query?: Q;
  body?: B;
  /** Media type of a body that is no JSON, such as `text/csv`; the handler then gets its bytes. */
  rawBody?: string;
  /** Media type of a body that the handler reads by itself from `request`, piece by piece. */
  streamBody?: string;
  /** Left out where the handler answers by itself: a file or an event stream. */
  result?: R;
  /** Media type of what the handler writes by itself. */
  produces?: string;
  handle: (asked: Asked<z.infer<P>, z.infer<Q>, z.infer<B>>) => Promise<z.infer<R>> | z.infer<R>;
}

/** A route as the registry keeps it. */
export type AnyRoute = RouteDefinition<z.ZodType, z.ZodType, z.ZodType, z.ZodType>;

/** Declares a route; types of handler and schemas must agree. */
export function route<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, R extends z.ZodType>(
  definition: RouteDefinition<P, Q, B, R>,
): AnyRoute {
  return definition;
}

const largestUpload = '512mb';

/** A person who asks waits this long while the database is away, in ms; what is uploaded waits as long as it takes. */
const patienceMs = 20_000;

/** Checks one part of a request; a mismatch becomes a problem that names the field. */
function check(schema: z.ZodType | undefined, value: unknown, where: string): unknown {
  if (!schema) return value;
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const issues = parsed.error.issues.slice(0, 5).map((issue) => `${issue.path.join('.') || where}: ${issue.message}`);
  throw new Problem(
    400,
    'The request is not as described',
    `In the ${where}: ${issues.join('; ')}. See /api/openapi.json for what is expected.`,
  );
}

const uploaded = (type: string | undefined) =>
  type === undefined ? {} : { requestBody: { required: true, content: { [type]: { schema: { type: 'string' } } } } };

/** Mounts routes on an Express router. */
export function mount(routes: readonly AnyRoute[]): Router {
  const router = Router();
  for (const anyRoute of routes) {
    const handlers = anyRoute.rawBody ? [raw({ type: () => true, limit: largestUpload })] : [];
    router[anyRoute.method](anyRoute.path, ...handlers, async (request: Request, response: Response) => {
      const asked = {
        params: check(anyRoute.params, request.params, 'address'),
        query: check(anyRoute.query, request.query, 'query'),
        body: anyRoute.rawBody || anyRoute.streamBody ? (request.body as unknown) : check(anyRoute.body, request.body, 'body'),
        request,
        response,
      };
      const left = new AbortController();
      response.on('close', () => {
        if (!response.writableFinished) left.abort();
      });
      const handle = () => askersLeave.run(left.signal, () => anyRoute.handle(asked));
      const result = await (anyRoute.rawBody || anyRoute.streamBody ? handle() : storePatience.run(patienceMs, handle));
      if (anyRoute.result) response.json(result === undefined ? {} : result);
    });
  }
  return router;
}

/** The API as an OpenAPI 3.1 document, made from the schemas that validate (their JSON Schema 2020-12). */
export function openApi(routes: readonly AnyRoute[]): Record<string, unknown> {
  const json = (schema: z.ZodType, io: 'input' | 'output') =>
    z.toJSONSchema(schema, { io, unrepresentable: 'any', target: 'draft-2020-12' });
  const paths: Record<string, Record<string, unknown>> = {};
  for (const anyRoute of routes) {
    const path = `/api${anyRoute.path.replace(/:(\w+)/g, '{$1}')}`;
    const named = (schema: z.ZodType | undefined, where: 'path' | 'query') =>
      Object.entries(schema instanceof z.ZodObject ? (schema.shape as Record<string, z.ZodType>) : {}).map(([name, inner]) => ({
        name,
        in: where,
        required: where === 'path' || !inner.safeParse(undefined).success,
        schema: json(inner, 'input'),
      }));
    (paths[path] ??= {})[anyRoute.method] = {
      summary: anyRoute.summary,
      operationId: `${anyRoute.method}${path.replace(/[^A-Za-z]+(\w?)/g, (_, letter: string) => letter.toUpperCase())}`,
      parameters: [...named(anyRoute.params, 'path'), ...named(anyRoute.query, 'query')],
      ...(anyRoute.body
        ? { requestBody: { required: true, content: { 'application/json': { schema: json(anyRoute.body, 'input') } } } }
        : {}),
      ...uploaded(anyRoute.rawBody ?? anyRoute.streamBody),
      responses: {
        '200': anyRoute.result
          ? { description: 'Done', content: { 'application/json': { schema: json(anyRoute.result, 'output') } } }
          : { description: 'Done', content: { [anyRoute.produces ?? 'application/octet-stream']: { schema: { type: 'string' } } } },
        default: {
          description: 'What went wrong (RFC 9457)',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Sturdy Puppet', version, description: 'All that the interface can do.' },
    paths,
    components: {
      schemas: {
        Problem: {
          type: 'object',
          properties: { type: { type: 'string' }, title: { type: 'string' }, status: { type: 'integer' }, detail: { type: 'string' } },
          required: ['title', 'status', 'detail'],
        },
      },
    },
  };
}
