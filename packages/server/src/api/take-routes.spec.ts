import { KnownSecrets, noTimings, type Exchange, type MessageExchange, type RequestExchange, type Take } from '@sturdy/core';
import request from 'supertest';
import { ServerLog } from '../log/server-log.js';
import { createApp } from './app.js';
import type { Services } from './services.js';

const take: Take = {
  id: 't1',
  projectId: 'p1',
  name: 'Talk',
  startedAt: '2026-11-30T10:00:00.000Z',
  state: 'done',
  marks: [],
  harLog: null,
};
const asked = (n: number, path: string, status: number): RequestExchange => ({
  kind: 'request',
  n,
  startedAtMs: n * 100,
  durationMs: 5,
  method: 'GET',
  url: `http://127.0.0.1:9${path}`,
  httpVersion: 'HTTP/1.1',
  requestHeaders: [['Authorization', 'Bearer quince-7781']],
  requestBody: null,
  response: { status, statusText: '', httpVersion: 'HTTP/1.1', headers: [], body: null },
  failure: null,
  timings: noTimings,
  harEntry: null,
});
const sent: MessageExchange = {
  kind: 'message',
  n: 2,
  startedAtMs: 150,
  durationMs: 5,
  url: 'http://127.0.0.1:9/line',
  openedBy: 1,
  action: 'send',
  format: 'text',
  same: [],
  sent: { hash: 'h', size: 5, mimeType: 'text/plain' },
  answer: null,
};
const opening: RequestExchange = {
  ...asked(1, '/line', 101),
  messages: [{ atMs: 150, from: 'client', kind: 'text', text: 'claim', base64: '', size: 5 }],
};
const exchanges: Exchange[] = [opening, sent, asked(3, '/desk', 200)];
const services = {
  store: {
    take: () => Promise.resolve(take),
    exchanges: () => Promise.resolve(exchanges),
    exchange: (_take: string, n: number) => Promise.resolve(exchanges.find((exchange) => exchange.n === n) ?? null),
    body: () => Promise.resolve(null),
  },
  recorder: { current: null },
  conductor: { current: null },
  log: new ServerLog(null),
  secrets: { of: () => Promise.resolve(new KnownSecrets(['quince-7781'])) },
} as unknown as Services;
const app = createApp(services, '/nowhere');
const get = (path: string) => request(app).get(`/api/takes/t1/${path}`).set('Host', '127.0.0.1:4300');

describe('a take with messages over a WebSocket', () => {
  interface Log {
    log: { entries: { request: { url: string }; _webSocketMessages?: { data: string }[] }[] };
  }

  it('is given as HAR, whose entries are its requests; messages stand in the entry of their handshake', async () => {
    const { log } = JSON.parse((await get('har').buffer(true)).text) as Log;
    expect(log.entries.map((entry) => [entry.request.url, entry._webSocketMessages?.map(({ data }) => data)])).toEqual([
      ['http://127.0.0.1:9/line', ['claim']],
      ['http://127.0.0.1:9/desk', undefined],
    ]);
  });

  it('gives for one of its messages the request that opened the WebSocket, as HAR and as a command of curl, masked', async () => {
    const { log } = JSON.parse((await get('har?exchange=2').buffer(true)).text) as Log;
    expect(log.entries.map((entry) => entry.request.url)).toEqual(['http://127.0.0.1:9/line']);
    const { text } = (await get('exchanges/2/curl')).body as { text: string };
    expect(text).toContain('http://127.0.0.1:9/line');
    expect(text).not.toContain('quince-7781');
    expect(((await get('exchanges/2/curl?secrets=shown')).body as { text: string }).text).toContain('quince-7781');
    expect((await get('exchanges/9/curl')).status).toBe(404);
  });
});
