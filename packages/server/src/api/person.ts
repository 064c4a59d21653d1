import { textStart } from '@sturdy/core';
import { userInfo } from 'node:os';
import type { Request } from 'express';
import type { Asker } from '../environments/environments.js';

/** Header in which the web client says who works there, percent-encoded: each browser has one name, chosen by its user. */
export const personHeader = 'x-sturdy-person';

/** Who asks: as their browser says, else as this machine calls them. For the list of changes; it proves nothing. */
export function personOf(request: Request): string {
  const header = request.headers[personHeader];
  if (typeof header === 'string' && header !== '')
    try {
      return textStart(decodeURIComponent(header), 60);
    } catch {
      return textStart(header, 60);
    }
  try {
    return userInfo().username;
  } catch {
    return 'somebody';
  }
}

/** Header in which the web client says which environment is chosen there; each browser chooses for itself, so that nobody sends a colleague elsewhere. */
export const environmentHeader = 'x-sturdy-environment';

/** Who asks, and the environment that they have chosen. */
export function askerOf(request: Request): Asker {
  const chosen = request.headers[environmentHeader];
  return { by: personOf(request), chosen: typeof chosen === 'string' && chosen !== '' ? chosen : undefined };
}
