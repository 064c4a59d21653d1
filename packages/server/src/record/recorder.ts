import { createHash, randomUUID } from 'node:crypto';
import { mediaType, type BodyRef, type Exchange, type Mark, type Take } from '@sturdy/core';
import { getLocal, type CompletedRequest, type CompletedResponse, type Mockttp } from 'mockttp';
import type { LiveHub } from '../live/live-hub.js';
import { Problem } from '../problem.js';
import type { Store } from '../store/store-client.js';

/** A body above this many bytes is cut when it is recorded. */
const bodyLimitBytes = 32 << 20;

interface Session {
  take: Take;
  proxy: Mockttp;
  zeroMs: number;
  /** Requests that have begun, by the proxy's id, in order of start. */
  open: Map<string, { n: number; startedMs: number; request: CompletedRequest }>;
  count: number;
  refused: Set<string>;
  /** Writes go one after another, so that a take is stored in order. */
  writes: Promise<unknown>;
}

/** The recording proxy: listens on loopback, passes on what the environment allows, and streams exchanges into a take. */
export class Recorder {
  #session: Session | null = null;

  constructor(
    readonly store: Store,
    readonly live: LiveHub,
    readonly port: number,
  ) {}

  /** The take being recorded, and where the proxy listens. */
  get current(): { takeId: string; proxy: string; exchangeCount: number; refusedHosts: string[] } | null {
    const session = this.#session;
    return (
      session && {
        takeId: session.take.id,
        proxy: `http://127.0.0.1:${session.proxy.port}`,
        exchangeCount: session.count,
        refusedHosts: [...session.refused],
      }
    );
  }

  async start(projectId: string, name: string, targets: readonly string[]): Promise<Take> {
    if (this.#session)
      throw new Problem(409, 'Already recording', `“${this.#session.take.name}” is being recorded. Stop it before you start another take.`);
    const proxy = getLocal({ recordTraffic: false, suggestChanges: false });
    const allowed = new Set(targets);
    const started = new Date();
    const take: Take = { id: randomUUID(), projectId, name, startedAt: started.toISOString(), state: 'recording', marks: [], harLog: null };
    const session: Session = {
      take,
      proxy,
      zeroMs: started.getTime(),
      open: new Map(),
      count: 0,
      refused: new Set(),
      writes: Promise.resolve(),
    };
    await proxy.start(this.port === 0 ? undefined : { startPort: this.port, endPort: this.port + 40 });
    await proxy
      .forAnyRequest()
      .matching((request) => allowed.has(originOf(request.url)))
      .thenPassThrough();
    await proxy.forUnmatchedRequest().thenCallback((request) => {
      session.refused.add(originOf(request.url));
      this.live.tell(take.id, 'refused', { hosts: [...session.refused] });
      return { statusCode: 403, body: `${originOf(request.url)} is not a target of the environment. Add it there to record it.` };
    });
    await proxy.on('request', (request) => {
      if (!allowed.has(originOf(request.url))) return;
      const startedMs = request.timingEvents.startTime;
      session.open.set(request.id, { n: ++session.count, startedMs, request });
    });
    await proxy.on('response', (response) => void this.#finished(session, response));
    await proxy.on('abort', (request) => {
      const open = session.open.get(request.id);
      if (!open) return;
      session.open.delete(request.id);
      void this.#keep(
        session,
        open.n,
        open.startedMs,
        open.request,
        null,
        'The exchange was cut off before its response was complete.',
        Date.now(),
      );
    });
    this.#session = session;
    await this.store.saveTake(take);
    return take;
  }

  /** Notes something at the present moment; a begin closes the transaction that is open. */
  async mark(kind: Mark['kind'], text: string): Promise<Take> {
    const session = this.#need();
    const atMs = Date.now() - session.zeroMs;
    session.take = { ...session.take, marks: [...session.take.marks, { kind, atMs, text }] };
    await this.store.saveTake(session.take);
    this.live.tell(session.take.id, 'take', session.take);
    return session.take;
  }

  async stop(): Promise<Take> {
    const session = this.#need();
    this.#session = null;
    await session.proxy.stop();
    await session.writes;
    const take: Take = { ...session.take, state: 'done' };
    await this.store.saveTake(take);
    this.live.tell(take.id, 'take', take);
    return take;
  }

  #need(): Session {
    if (!this.#session) throw new Problem(409, 'Nothing is being recorded', 'Start a take in the recording room first.');
    return this.#session;
  }

  async #finished(session: Session, response: CompletedResponse): Promise<void> {
    const open = session.open.get(response.id);
    if (!open) return;
    session.open.delete(response.id);
    await this.#keep(session, open.n, open.startedMs, open.request, response, null, Date.now());
  }

  async #keep(
    session: Session,
    n: number,
    startedMs: number,
    request: CompletedRequest,
    response: CompletedResponse | null,
    failure: string | null,
    endedMs: number,
  ): Promise<void> {
    const stored: { hash: string; bytes: Uint8Array; mimeType: string }[] = [];
    const put = async (message: CompletedRequest | CompletedResponse): Promise<BodyRef | null> => {
      const bytes = (await message.body.getDecodedBuffer().catch(() => message.body.buffer)) ?? message.body.buffer;
      if (bytes.length === 0) return null;
      const kept = bytes.subarray(0, bodyLimitBytes);
      const hash = createHash('sha256').update(kept).digest('hex');
      const mimeType = mediaType(message.rawHeaders);
      stored.push({ hash, bytes: kept, mimeType });
      return { hash, size: kept.length, mimeType };
    };
    const timing = response?.timingEvents;
    // The proxy's own clock has no zero in common with ours but its start time, so phases are taken as differences.
    const phase = (from: number | undefined, to: number | undefined) =>
      from === undefined || to === undefined ? -1 : Math.max(0, to - from);
    const spent = phase(timing?.startTimestamp, timing?.responseSentTimestamp);
    const exchange: Exchange = {
      n,
      startedAtMs: Math.max(0, startedMs - session.zeroMs),
      durationMs: spent >= 0 ? spent : Math.max(0, endedMs - startedMs),
      method: request.method,
      url: request.url,
      httpVersion: `HTTP/${request.httpVersion}`,
      requestHeaders: request.rawHeaders,
      requestBody: await put(request),
      response: response && {
        status: response.statusCode,
        statusText: response.statusMessage,
        httpVersion: 'HTTP/1.1',
        headers: response.rawHeaders,
        body: await put(response),
      },
      failure,
      timings: {
        blocked: -1,
        dns: -1,
        connect: -1,
        tls: -1,
        send: phase(timing?.startTimestamp, timing?.bodyReceivedTimestamp),
        wait: phase(timing?.bodyReceivedTimestamp, timing?.headersSentTimestamp),
        receive: phase(timing?.headersSentTimestamp, timing?.responseSentTimestamp),
      },
      harEntry: null,
    };
    session.writes = session.writes.then(async () => {
      await this.store.putBodies(stored);
      await this.store.saveExchanges(session.take.id, [exchange]);
      this.live.tell(session.take.id, 'exchange', exchange);
    });
    await session.writes;
  }
}

function originOf(url: string): string {
  return URL.canParse(url) ? new URL(url).origin : url;
}
