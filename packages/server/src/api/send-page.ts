import { renderablePage } from '@sturdy/core';
import type { Response } from 'express';

/** Sends a page as a picture that may be shown in a frame: nothing in it runs, and it loads the take's own files only. */
export function sendPage(response: Response, body: Uint8Array | null, url: string, takeId: string): void {
  const html = body ? Buffer.from(body).toString('utf8') : '<p>There is no body of this page.</p>';
  response.setHeader('Content-Security-Policy', "default-src 'none'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; sandbox");
  response.type('html').send(renderablePage(html, url, (file) => `/api/takes/${takeId}/file?url=${encodeURIComponent(file)}`));
}
