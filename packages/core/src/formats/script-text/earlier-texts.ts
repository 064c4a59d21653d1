import { isMembers } from '../../members.js';
import { changeStoredSteps } from '../../script/stored-steps.js';

/**
 * A script as text in which messages over WebSockets are written as such. Earlier versions wrote them as requests with a `socket`, whose first key
 * said what was done. All else stays as it is, so that what is wrong with it is told where it stands.
 */
export const withMessageTexts = (text: unknown): unknown =>
  changeStoredSteps(text, (step) => {
    if (!('request' in step) || !isMembers(step['socket'])) return step;
    const { request, socket, origin: _origin, url: _url, headers: _headers, expect, followRedirects: _follow, ...rest } = step;
    const { open, send, await: awaited, close, ...details } = socket as Record<string, unknown>;
    if (open !== undefined) {
      const { socket: _socket, ...opening } = step;
      return { ...opening, opensSocket: open };
    }
    const over = send ?? awaited ?? close;
    return { message: request, over, ...rest, ...details, ...(isMembers(expect) ? { expect: expectationOf(expect) } : {}) };
  });

const expectationOf = ({ content, harmless }: Readonly<Record<string, unknown>>): Record<string, unknown> => ({
  ...(content === undefined ? {} : { content }),
  ...(harmless === undefined ? {} : { harmless }),
});
