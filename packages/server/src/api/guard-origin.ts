import type { NextFunction, Request, Response } from 'express';
import { isLoopback } from '@sturdy/core';
import { Problem } from '../problem/problem.js';

/**
 * Keeps other sites out: the Host must be a loopback name (against DNS rebinding), and what changes something must not
 * come from a page of another origin.
 */
export function guardOrigin(request: Request, _response: Response, next: NextFunction): void {
  const host = request.headers.host ?? '';
  if (!isLoopback(`http://${host}`)) throw new Problem(403, 'Wrong host', `This server answers on loopback names only, not as “${host}”.`);
  const origin = request.headers.origin;
  if (request.method !== 'GET' && origin !== undefined && origin !== `http://${host}`)
    throw new Problem(403, 'Another site', `A page of ${origin} may not change anything here.`);
  next();
}
