import type { NextFunction, Request, Response } from 'express';
import type { ServerLog } from '../log/server-log.js';
import { personOf } from './person.js';

/** Writes down who changed what: each request that is not a mere question, with its answer and how long it took. */
export const logChanges =
  (log: ServerLog) =>
  (request: Request, response: Response, next: NextFunction): void => {
    if (request.method === 'GET' || request.method === 'HEAD') {
      next();
      return;
    }
    const startedMs = performance.now();
    // The path without its query, which may hold what somebody searched for.
    const path = request.path;
    response.on('close', () => {
      log.info(`${request.method} ${path}`, {
        by: personOf(request),
        status: response.writableFinished ? response.statusCode : 0,
        ms: Math.round(performance.now() - startedMs),
      });
    });
    next();
  };
