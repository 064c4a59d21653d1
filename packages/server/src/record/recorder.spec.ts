import { createHash } from 'node:crypto';
import { createServer, request as httpRequest, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import type { Exchange, Take } from '@sturdy/core';
import { LiveHub } from '../live/live-hub.js';
import type { Store } from '../store/store-client.js';
import { Recorder } from './recorder.js';

/** Keeps what the recorder stores. */
class FakeStore {
  take: Take | null = null;
  readonly exchanges: Exchange[] = [];
  readonly bodies = new Map<string, Buffer>();
  saveTake = (take: Take) => {
    this.take = take;
    return Promise.resolve();
  };
  saveExchanges = (_id: string, docs: Exchange[]) => {
    this.exchanges.push(...docs);
    return Promise.resolve();
  };
  putBodies = (given: { hash: string; bytes: Uint8Array }[]) => {
    for (const { hash, bytes } of given) this.bodies.set(hash, Buffer.from(bytes));
    return Promise.resolve();
  };
}

const binary = Buffer.from(Array.from({ length: 50_000 }, (_, index) => (index * 7) % 256));
let server: Server;
let origin = '';
beforeAll(async () => {
  server = createServer((request, response) => {
    if (request.url === '/zip')
      response
        .writeHead(200, { 'Content-Type': 'text/plain', 'Content-Encoding': 'gzip', 'X-Odd-CASE': '1' })
        .end(gzipSync('unpacked text'));
    else if (request.url === '/binary') response.writeHead(200, { 'Content-Type': 'application/octet-stream' }).end(binary);
    else if (request.url === '/two') response.writeHead(200, { 'Set-Cookie': ['a=1', 'b=2'] }).end();
    else if (request.url === '/reset') request.socket.resetAndDestroy();
    else request.pipe(response);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

/** Asks through the proxy, as a browser does: the whole address in the request line. */
function through(proxy: string, address: string, body = ''): Promise<{ status: number; bytes: Buffer }> {
  const { hostname, port } = new URL(proxy);
  return new Promise((done, failed) => {
    const asked = httpRequest(
      {
        host: hostname,
        port,
        path: address,
        method: body ? 'POST' : 'GET',
        headers: { Host: new URL(address).host, 'X-My-Header': 'kept', ...(body ? { 'Content-Type': 'text/plain' } : {}) },
      },
      (answer) => {
        const chunks: Buffer[] = [];
        answer.on('data', (chunk: Buffer) => chunks.push(chunk));
        answer.on('end', () => done({ status: answer.statusCode ?? 0, bytes: Buffer.concat(chunks) }));
      },
    );
    asked.on('error', failed);
    asked.end(body);
  });
}

describe('the recording proxy', () => {
  it('passes on and keeps what was sent and answered: bytes, headers in their own case, several cookies, marks', async () => {
    const store = new FakeStore();
    const recorder = new Recorder(store as unknown as Store, new LiveHub(), 0);
    await recorder.start('p', 'Take', [origin]);
    const proxy = recorder.current?.proxy ?? '';
    await recorder.mark('begin', 'Open');
    expect((await through(proxy, `${origin}/binary`)).bytes.equals(binary)).toBe(true);
    expect((await through(proxy, `${origin}/echo`, 'posted ✓')).bytes.toString()).toBe('posted ✓');
    await through(proxy, `${origin}/zip`);
    await through(proxy, `${origin}/two`);
    await recorder.mark('end', 'Open');
    await expect(recorder.start('p', 'Another', [origin])).rejects.toThrow(/“Take” is being recorded. Stop it/);
    const take = await recorder.stop();
    expect(take).toMatchObject({ state: 'done', marks: [{ kind: 'begin' }, { kind: 'end' }] });
    const [asBinary, echoed, zipped, two] = [...store.exchanges].sort((left, right) => left.n - right.n);
    expect(asBinary?.response?.body?.hash).toBe(createHash('sha256').update(binary).digest('hex'));
    expect(asBinary?.requestHeaders).toContainEqual(['X-My-Header', 'kept']);
    expect(store.bodies.get(echoed?.requestBody?.hash ?? '')?.toString()).toBe('posted ✓');
    expect(store.bodies.get(zipped?.response?.body?.hash ?? '')?.toString()).toBe('unpacked text');
    expect(zipped?.response?.headers).toContainEqual(['X-Odd-CASE', '1']);
    expect(two?.response?.headers.filter(([name]) => name === 'Set-Cookie')).toEqual([
      ['Set-Cookie', 'a=1'],
      ['Set-Cookie', 'b=2'],
    ]);
    await expect(recorder.stop()).rejects.toThrow(/Start a take/);
  });

  it('refuses and names hosts that the environment does not allow, and keeps nothing of them', async () => {
    const store = new FakeStore();
    const recorder = new Recorder(store as unknown as Store, new LiveHub(), 0);
    await recorder.start('p', 'Take', [origin]);
    const refused = await through(recorder.current?.proxy ?? '', 'http://127.0.0.1:1/elsewhere');
    expect(refused.status).toBe(403);
    expect(refused.bytes.toString()).toContain('is not a target of the environment');
    expect(recorder.current?.refusedHosts).toEqual(['http://127.0.0.1:1']);
    await recorder.stop();
    expect(store.exchanges).toEqual([]);
  });
});
