import { headerOf, mediaType, noTimings, type BodyRef, type CapturedRequest } from '@sturdy/core';
import type { PlayedRequest } from './http-player.js';

const encoder = new TextEncoder();

/** A played request as it is stored: bodies go to `put`, which gives their references. */
export function captureRequest(
  played: PlayedRequest,
  zeroMs: number,
  put: (bytes: Uint8Array, mimeType: string) => BodyRef,
): CapturedRequest {
  const { request, outcome } = played;
  const response = outcome.observation;
  const sent = typeof request.body === 'string' ? encoder.encode(request.body) : request.body;
  return {
    kind: 'request',
    step: played.step,
    startedAtMs: played.startedAtMs - zeroMs,
    durationMs: outcome.durationMs,
    request: {
      method: request.method,
      url: request.origin + request.target,
      headers: response?.sentHeaders ?? [],
      body: sent && put(sent, (headerOf(request.headers, 'content-type') ?? '').split(';')[0] ?? ''),
    },
    response:
      !response || response.status === 0
        ? null
        : {
            status: response.status,
            statusText: response.statusText,
            headers: response.headers,
            body: response.body && put(response.body, mediaType(response.headers)),
          },
    ...(!response || response.hops.length === 0
      ? {}
      : { hops: response.hops.map((hop) => ({ ...hop, body: hop.body && put(hop.body, mediaType(hop.headers)) })) }),
    failure: outcome.failure?.text ?? null,
    ...(played.failure === null ? {} : { failureCode: played.failure.code }),
    ...(played.checks.length === 0 ? {} : { checks: played.checks }),
    timings: response?.timings ?? noTimings,
  };
}
