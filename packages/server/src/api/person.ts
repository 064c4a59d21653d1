import { textStart } from '@sturdy/core';
import { userInfo } from 'node:os';
import type { Request } from 'express';

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
