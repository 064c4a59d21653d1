import { textStart } from '@sturdy/core';
import { userInfo } from 'node:os';
import type { Request } from 'express';

/** Header in which the web client says who works there, percent-encoded: each browser has one name, chosen by its user. */
export const personHeader = 'x-sturdy-person';

/** Who asks: as their browser says, else as this machine calls them. For the list of changes; it proves nothing. */
export function personOf(request: Request): string {
  const told = request.headers[personHeader];
  if (typeof told === 'string' && told !== '')
    try {
      return textStart(decodeURIComponent(told), 60);
    } catch {
      return textStart(told, 60);
    }
  try {
    return userInfo().username;
  } catch {
    return 'somebody';
  }
}
