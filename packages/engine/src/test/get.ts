import type { WireRequest } from '../index.js';

/** A GET as a driver sends it. */
export const get = (origin: string, target: string, more: Partial<WireRequest> = {}): WireRequest => ({
  method: 'GET',
  origin,
  target,
  headers: [],
  body: null,
  followRedirects: false,
  keepsBody: 'always',
  ...more,
});
