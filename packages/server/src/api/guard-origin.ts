import type { RequestHandler } from 'express';
import { isLoopback } from '@sturdy/core';
import { Problem } from '../problem/problem.js';

/**
 * Keeps other sites out: the Host must be a loopback name, or one of `hostNames` (against DNS rebinding), and what changes something must not
 * come from a page of another origin.
 */
export const guardOrigin =
  (hostNames: readonly string[]): RequestHandler =>
  (request, _response, next) => {
    const host = request.headers.host ?? '';
    const address = `http://${host}`;
    const isNamed = URL.canParse(address) && hostNames.includes(new URL(address).hostname);
    if (!isNamed && !isLoopback(address))
      throw new Problem(
        403,
        'Wrong host',
        hostNames.length === 0
          ? `This server answers on loopback names only, not as “${host}”. Where it is to be reached under that name, start it with --host-name.`
          : `This server does not answer as “${host}”. It knows loopback names and ${hostNames.join(', ')}; --host-name adds others.`,
      );
    const origin = request.headers.origin;
    // In front of a server that has a name there may be one that speaks TLS.
    const isOwn = origin === address || (isNamed && origin === `https://${host}`);
    if (request.method !== 'GET' && origin !== undefined && !isOwn)
      throw new Problem(403, 'Another site', `A page of ${origin} may not change anything here.`);
    next();
  };
