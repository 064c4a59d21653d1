import { noTimings, type Header } from '@sturdy/core';
import CachePolicy from 'http-cache-semantics';
import type { Outcome } from '../../contract/driver.js';
import { keepsBody, outcomeOf, type HttpUserDriver, type WireRequest, type WireResponse } from './wire.js';

/** Answers of one user are kept up to these limits: a run may have thousands of users. */
const mostAnswers = 300;
const mostBytes = 2 << 20;

interface Kept {
  policy: CachePolicy;
  response: WireResponse;
}

/** Headers with which a browser goes round its cache, as a recording with the cache switched off has them. */
const aroundCache = new Set(['cache-control', 'pragma', 'if-none-match', 'if-modified-since']);

/** A driver with the private cache of a browser (RFC 9111). An answer that is fresh is not asked for; a stale one is asked for anew. */
export class CachedDriver implements HttpUserDriver {
  readonly #kept = new Map<string, Kept>();
  #bytes = 0;

  constructor(
    readonly inner: HttpUserDriver,
    /** True where each iteration begins with an empty cache. */
    readonly startsCold: boolean,
  ) {}

  get messages(): HttpUserDriver['messages'] {
    return this.inner.messages;
  }

  async perform(request: WireRequest): Promise<Outcome<WireResponse>> {
    return outcomeOf(await this.send(request));
  }

  async send(request: WireRequest): Promise<WireResponse> {
    const key = request.origin + request.target;
    if (request.opensSocket !== undefined) return this.inner.send(request);
    if (request.method !== 'GET') {
      const response = await this.inner.send(request);
      // A change that went well makes what was kept of its target invalid (RFC 9111, 4.4).
      if (request.method !== 'HEAD' && response.status >= 200 && response.status < 400) this.#drop(key);
      return response;
    }
    const plain = request.headers.filter(([name]) => !aroundCache.has(name.toLowerCase()));
    const asked = { url: request.target, method: 'GET', headers: record(plain) };
    const kept = this.#usable(key, request);
    if (kept?.policy.satisfiesWithoutRevalidation(asked))
      return { ...kept.response, fromCache: true, sentHeaders: [], timings: noTimings, durationMs: 0, bytesIn: 0, bytesOut: 0 };
    const conditions = kept ? conditionsOf(kept.policy.revalidationHeaders(asked)) : [];
    const response = await this.inner.send({ ...request, headers: [...plain, ...conditions] });
    if (kept && response.status === 304) {
      const { policy } = kept.policy.revalidatedPolicy(asked, { status: 304, headers: record(response.headers) });
      kept.policy = policy;
      return { ...response, status: kept.response.status, headers: kept.response.headers, body: kept.response.body };
    }
    if (response.failure === null && response.hops.length === 0) {
      const policy = new CachePolicy(asked, { status: response.status, headers: record(response.headers) }, { shared: false });
      if (policy.storable()) this.#keep(key, { policy, response });
      else this.#drop(key);
    }
    return response;
  }

  newIteration(): void {
    if (!this.startsCold) return;
    this.#kept.clear();
    this.#bytes = 0;
  }

  reset(): Promise<void> {
    return this.inner.reset();
  }
  close(): Promise<void> {
    return this.inner.close();
  }
  cookie(origin: string, name: string): string | undefined {
    return this.inner.cookie(origin, name);
  }
  setCookie(origin: string, name: string, value: string): void {
    this.inner.setCookie(origin, name, value);
  }
  deleteCookie(origin: string, name: string): void {
    this.inner.deleteCookie(origin, name);
  }

  /** What is kept of an address, if it holds all that is wanted of it: bodies that nothing read were not kept. */
  #usable(key: string, request: WireRequest): Kept | undefined {
    const kept = this.#kept.get(key);
    if (!kept) return undefined;
    const { status, headers, body } = kept.response;
    return body !== null || !keepsBody(request.keepsBody, status, headers) ? kept : undefined;
  }

  #keep(key: string, kept: Kept): void {
    this.#drop(key);
    const size = kept.response.body?.length ?? 0;
    if (this.#kept.size >= mostAnswers || this.#bytes + size > mostBytes) return;
    this.#kept.set(key, kept);
    this.#bytes += size;
  }

  #drop(key: string): void {
    this.#bytes -= this.#kept.get(key)?.response.body?.length ?? 0;
    this.#kept.delete(key);
  }
}

/** Headers by name in lower case; several of one name are joined (RFC 9110, 5.3). */
function record(headers: readonly Header[]): Record<string, string> {
  const found: Record<string, string> = {};
  for (const [name, value] of headers) {
    const key = name.toLowerCase();
    found[key] = found[key] === undefined ? value : `${found[key]}, ${value}`;
  }
  return found;
}

function conditionsOf(headers: Record<string, string | string[] | undefined>): Header[] {
  return ['if-none-match', 'if-modified-since'].flatMap((name): Header[] => {
    const value = headers[name];
    return typeof value === 'string' ? [[name, value]] : [];
  });
}
