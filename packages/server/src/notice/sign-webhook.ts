import { createHmac } from 'node:crypto';

/**
 * The headers that sign a message: id, time and HMAC-SHA256 of both and the body (Standard Webhooks specification 1.0). `secret` is base64 behind
 * `whsec_`; `atMs` in ms since 1970.
 */
export function signWebhook(secret: string, id: string, atMs: number, body: string): Record<string, string> {
  const seconds = Math.floor(atMs / 1000);
  const key = Buffer.from(secret.replace(/^whsec_/, ''), 'base64');
  const signature = createHmac('sha256', key).update(`${id}.${seconds}.${body}`).digest('base64');
  return { 'webhook-id': id, 'webhook-timestamp': String(seconds), 'webhook-signature': `v1,${signature}` };
}
