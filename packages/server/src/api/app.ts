import { randomBytes, randomUUID } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import express, { type Express, type NextFunction, type Request, type RequestHandler, type Response } from 'express';
import helmet from 'helmet';
import type { ServerLog } from '../log/server-log.js';
import { Problem } from '../problem/problem.js';
import { aboutRoutes } from './about-routes.js';
import { dataRoutes } from './data-routes.js';
import { checkRoutes } from './check-routes.js';
import { handoffRoutes } from './handoff-routes.js';
import { sourceRoutes } from './source-routes.js';
import { guardOrigin } from './guard-origin.js';
import { logChanges } from './log-changes.js';
import { environmentRoutes } from './environment-routes.js';
import { projectFileRoutes } from './project-file-routes.js';
import { needOpenProject, projectRoutes } from './project-routes.js';
import { hostRoutes } from './host-routes.js';
import { importRoutes } from './import-routes.js';
import { recordRoutes } from './record-routes.js';
import { mount, openApi, type AnyRoute } from './route.js';
import { partRoutes } from './part-routes.js';
import { patternRoutes } from './pattern-routes.js';
import { rehearsalRoutes } from './rehearsal-routes.js';
import { briefRoutes } from './brief-routes.js';
import { exploreRoutes } from './explore-routes.js';
import { explainRoutes } from './explain-routes.js';
import { noticeRoutes } from './notice-routes.js';
import { reportRoutes } from './report-routes.js';
import { runRoutes } from './run-routes.js';
import { scheduleRoutes } from './schedule-routes.js';
import { scriptRoutes } from './script-routes.js';
import type { Services } from './services.js';
import { spliceRoutes } from './splice-routes.js';
import { takeRoutes } from './take-routes.js';
import { versionRoutes } from './version-routes.js';
import { workloadRoutes } from './workload-routes.js';

/** All operations of the API. */
export const allRoutes = (services: Services): AnyRoute[] => [
  ...aboutRoutes(services),
  ...projectRoutes(services),
  ...projectFileRoutes(services),
  ...environmentRoutes(services),
  ...recordRoutes(services),
  ...importRoutes(services),
  ...takeRoutes(services),
  ...scriptRoutes(services),
  ...versionRoutes(services),
  ...partRoutes(services),
  ...spliceRoutes(services),
  ...checkRoutes(services),
  ...handoffRoutes(services),
  ...sourceRoutes(services),
  ...rehearsalRoutes(services),
  ...patternRoutes(services),
  ...dataRoutes(services),
  ...workloadRoutes(services),
  ...hostRoutes(services),
  ...runRoutes(services),
  ...explainRoutes(services),
  ...exploreRoutes(services),
  ...briefRoutes(services),
  ...reportRoutes(services),
  ...scheduleRoutes(services),
  ...noticeRoutes(services),
];

/** The Express application: the API below `/api`, the web client for everything else. It answers to loopback names and `hostNames`. */
export function createApp(services: Services, webFolder: string, hostNames: readonly string[] = []): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use((_request, response: Response<unknown, { nonce?: string }>, next) => {
    response.locals.nonce = randomBytes(16).toString('base64');
    next();
  });
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          'default-src': ["'self'"],
          // Styles of components are put into the page by the framework, which knows the nonce; what charts and drag and drop write is in attributes.
          'style-src': [
            "'self'",
            (_request, response) => `'nonce-${String((response as Response<unknown, { nonce?: string }>).locals.nonce)}'`,
          ],
          'style-src-attr': ["'unsafe-inline'"],
          'img-src': ["'self'", 'data:'],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: false,
    }),
  );
  app.use(guardOrigin(hostNames));
  const routes = allRoutes(services);
  const document = openApi(routes);
  const readJson: RequestHandler = express.json({ limit: '64mb' });
  app.get('/api/openapi.json', (_request, response) => {
    response.json(document);
  });
  app.use('/api', logChanges(services.log));
  app.use('/api', (request, response, next) => {
    // Takes and samples hold passwords; no cache on the way or in the browser keeps them.
    response.setHeader('Cache-Control', 'no-store');
    // Uploads are read by their own route.
    if (request.path.endsWith('/import')) next();
    else readJson(request, response, next);
  });
  app.use('/api/projects/:projectId/*rest', needOpenProject(services));
  app.use('/api', mount(routes));
  app.use('/api', (request) => {
    throw new Problem(404, 'No such operation', `${request.method} ${request.originalUrl} is not part of the API. See /api/openapi.json.`);
  });
  app.use(express.static(webFolder, { index: false, maxAge: '1h' }));
  app.use((_request, response: Response<unknown, { nonce?: string }>) => {
    const index = join(webFolder, 'index.html');
    if (!existsSync(index)) {
      response.status(503).type('text').send('The web client is not built. Run “npm run build” first.');
      return;
    }
    const page = readFileSync(index, 'utf8').replace('<app-root', `<app-root ngCspNonce="${response.locals.nonce ?? ''}"`);
    response.setHeader('Cache-Control', 'no-store').type('html').send(page);
  });
  app.use(problemDetails(services.log));
  return app;
}

/** Every error leaves as problem details (RFC 9457). */
const problemDetails =
  (log: ServerLog) =>
  (error: unknown, request: Request, response: Response, next: NextFunction): void => {
    if (response.headersSent) {
      next(error);
      return;
    }
    const { status, title, detail } = asProblem(error, `${request.method} ${request.path}`, log);
    response.status(status).type('application/problem+json').json({ type: 'about:blank', title, status, detail });
  };

/** What the readers of requests throw (`http-errors`): a status of their own, and what it is about. Errors of the program have no `expose`. */
interface RequestError {
  status?: number;
  expose?: boolean;
  type?: string;
  message?: string;
  /** The most that is taken, in bytes. */
  limit?: number;
}

function asProblem(error: unknown, asked: string, log: ServerLog): { status: number; title: string; detail: string } {
  if (error instanceof Problem) return error;
  const { status, expose, type, message, limit } = (error ?? {}) as RequestError;
  if (type === 'entity.parse.failed') return new Problem(400, 'Not JSON', `The body of the request is not valid JSON: ${message ?? ''}`);
  if (type === 'entity.too.large')
    return new Problem(
      413,
      'Too large',
      `The upload is larger than ${Math.round((limit ?? 0) / (1 << 20))} MB. Split it, or leave contents out.`,
    );
  if (error instanceof Error && error.name === 'DatabaseAwayError') return new Problem(503, 'The database does not answer', error.message);
  if (error instanceof Error && error.name === 'NoRoomError') return new Problem(507, 'The disk takes no more', error.message);
  // The router says so of addresses; a URIError without a status is a fault of the program.
  if (error instanceof URIError && status === 400)
    return new Problem(400, 'Not an address', 'The address holds a percent sign that begins no sign of UTF-8.');
  if (expose === true && status !== undefined && status >= 400 && status < 500)
    return new Problem(
      status,
      'The request cannot be read',
      `${message ?? 'Its headers and its body do not fit each other'}. Send JSON in UTF-8.`,
    );
  // What went wrong inside is for the log alone; the number finds it there.
  const number = randomUUID().slice(0, 8);
  log.error(`fault ${number} ${asked}`, { stack: error instanceof Error ? (error.stack ?? error.message) : String(error) });
  return {
    status: 500,
    title: 'Something went wrong here',
    detail: `The server met an error that it does not know. Look whether what you asked for was done before you try again. The log of the server says more under the number ${number}; report it with that.`,
  };
}
