import { request as httpRequest } from 'node:http';
import { request as httpsRequest } from 'node:https';
import type { TargetPolicy, Webhook } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import { noticeLookup } from './notice-lookup.js';
import { signWebhook } from './sign-webhook.js';

const limitMs = 15_000;

/** Posts a signed body. Rejects where it was not taken: any answer but 2xx, and a redirect, which is not followed. */
export async function sendWebhook(
  { url, secret }: Pick<Webhook, 'url' | 'secret'>,
  message: { id: string; body: string; atMs: number },
  policies: readonly TargetPolicy[],
  lookup?: Lookup,
): Promise<void> {
  const { origin, protocol } = new URL(url);
  const found = noticeLookup(origin, policies, lookup);
  const { id, body, atMs } = message;
  const status = await new Promise<number>((done, failed) => {
    const asked = (protocol === 'https:' ? httpsRequest : httpRequest)(
      url,
      {
        method: 'POST',
        agent: false,
        lookup: found,
        signal: AbortSignal.timeout(limitMs),
        headers: {
          'content-type': 'application/json',
          'content-length': Buffer.byteLength(body),
          ...signWebhook(secret, id, atMs, body),
        },
      },
      (answer) => {
        answer.resume();
        done(answer.statusCode ?? 0);
      },
    );
    asked.on('error', failed);
    asked.end(body);
  });
  if (status < 200 || status > 299) throw new Error(`It answered ${status}; 200 to 299 mean that it was taken.`);
}
