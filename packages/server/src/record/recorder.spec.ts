import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { Agent, request } from 'node:http';
import { connect, createServer as createTcpServer, type AddressInfo, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WebSocket } from 'ws';
import { plainEnvironment, type Environment, type RequestExchange, type Take } from '@sturdy/core';
import { HttpDriver, optionsFor, TargetTls } from '@sturdy/engine';
import { LiveHub } from '../live/live-hub.js';
import type { Store } from '../store/store-client.js';
import { askHttp2, askPlain, askSecure, tunnel } from '../test/proxy-client.js';
import { digestTarget, ntlmTarget } from '../../../engine/src/test/sign-in-targets.js';
import { binary, http2Target, plainTarget, secureTarget, text, type Target } from '../test/targets.js';
import { CertificateAuthority } from './proxy/certificate-authority.js';
import { recoverJournals } from './recording-journal.js';
import { Recorder, usualBodyLimitBytes } from './recorder.js';

/** Keeps what the recorder stores. */
class FakeStore {
  take: Take | null = null;
  readonly kept = new Map<number, RequestExchange>();
  readonly bodies = new Map<string, Buffer>();
  saveTake = (take: Take) => {
    this.take = take;
    return Promise.resolve();
  };
  saveExchanges = (_id: string, docs: RequestExchange[]) => {
    for (const doc of docs) this.kept.set(doc.n, doc);
    return Promise.resolve();
  };
  replaceExchanges = (_id: string, docs: RequestExchange[]) => {
    this.kept.clear();
    for (const doc of docs) this.kept.set(doc.n, doc);
    return Promise.resolve();
  };
  deleteExchanges = (_id: string, numbers: number[]) => {
    for (const n of numbers) this.kept.delete(n);
    return Promise.resolve();
  };
  putBodies = (given: { hash: string; bytes: Uint8Array }[]) => {
    for (const { hash, bytes } of given) this.bodies.set(hash, Buffer.from(bytes));
    return Promise.resolve();
  };
  get exchanges(): RequestExchange[] {
    return [...this.kept.values()].sort((left, right) => left.n - right.n);
  }
  body(exchange: RequestExchange | undefined): Buffer | undefined {
    return this.bodies.get(exchange?.response?.body?.hash ?? '');
  }
}

const soon = (ms = 20) => new Promise((done) => setTimeout(done, ms));

let folder = '';
let targetAuthority: CertificateAuthority;
let plain: Awaited<ReturnType<typeof plainTarget>>;
let http2: Target;
const opened: Target[] = [];

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-recorder-'));
  targetAuthority = await CertificateAuthority.open(join(folder, 'targets'));
  plain = await plainTarget();
  http2 = await http2Target(await targetAuthority.issue('127.0.0.1'));
});
afterAll(async () => {
  for (const target of [plain, http2, ...opened]) await target.close();
  rmSync(folder, { recursive: true, force: true });
});

/** A recorder that is recording, with the proxy's address and what it stores. */
async function recording(change: Partial<Environment> = {}, wanted: { forNetwork?: boolean; bodyLimitBytes?: number } = {}) {
  const store = new FakeStore();
  const recorder = new Recorder(store as unknown as Store, new LiveHub(), 0, join(folder, 'recorder'));
  const environment: Environment = {
    ...plainEnvironment({ id: 'e', projectId: 'p', name: 'test', targets: [plain.origin, http2.origin] }),
    trust: { authorities: targetAuthority.certificatePem, checksCertificates: true },
    ...change,
  };
  await recorder.start('p', { name: 'Take', forNetwork: false, bodyLimitBytes: usualBodyLimitBytes, ...wanted }, environment);
  return { store, recorder, proxy: recorder.current?.proxy ?? '', ca: (await recorder.authority()).certificatePem };
}

describe('the recording proxy', () => {
  it('keeps what was sent and answered: bytes, raw headers in order and case, several cookies, every encoding', async () => {
    const { store, recorder, proxy } = await recording();
    expect((await askPlain(proxy, `${plain.origin}/binary`)).bytes.equals(binary)).toBe(true);
    const headers = ['X-B', '2', 'x-a', '1', 'X-My-Header', 'kept'];
    expect(
      (await askPlain(proxy, `${plain.origin}/echo`, { method: 'POST', headers: [...headers, 'Content-Length', '8'], body: 'posted 1' }))
        .status,
    ).toBe(200);
    for (const encoding of ['gzip', 'deflate', 'br', 'zstd', 'twice', 'two-cookies', 'chunked'])
      await askPlain(proxy, `${plain.origin}/${encoding}`);
    // An upload in parts: bytes of a file between texts.
    const parts = Buffer.concat([
      Buffer.from('--b\r\nContent-Disposition: form-data; name="file"; filename="x"\r\n\r\n'),
      binary,
      Buffer.from('\r\n--b--\r\n'),
    ]);
    const upload = ['Content-Type', 'multipart/form-data; boundary=b', 'Content-Length', String(parts.length)];
    await askPlain(proxy, `${plain.origin}/echo`, { method: 'POST', headers: upload, body: parts });
    await recorder.stop();
    const uploaded = store.exchanges.at(-1);
    expect(store.bodies.get(uploaded?.requestBody?.hash ?? '')?.equals(parts)).toBe(true);
    expect(uploaded?.requestBody?.mimeType).toBe('multipart/form-data');
    const [asBinary, echoed, ...rest] = store.exchanges;
    expect(asBinary?.response?.body?.hash).toBe(createHash('sha256').update(binary).digest('hex'));
    expect(echoed?.requestHeaders.slice(0, 5)).toEqual([
      ['Host', new URL(plain.origin).host],
      ['X-B', '2'],
      ['x-a', '1'],
      ['X-My-Header', 'kept'],
      ['Content-Length', '8'],
    ]);
    expect(rest.slice(0, 5).map((exchange) => store.body(exchange)?.toString())).toEqual([text, text, text, text, text]);
    expect(rest[0]?.response?.headers).toContainEqual(['X-Odd-CASE', '1']);
    expect(rest[5]?.response?.headers.filter(([name]) => name === 'Set-Cookie')).toEqual([
      ['Set-Cookie', 'a=1'],
      ['Set-Cookie', 'b=2'],
    ]);
    expect(store.body(rest[6])?.toString()).toBe('first second');
    expect(rest[6]?.timings.receive).toBeGreaterThan(10);
    expect(asBinary?.timings).toMatchObject({ dns: -1, tls: -1 });
    expect(asBinary?.timings.connect).toBeGreaterThanOrEqual(0);
    await expect(recorder.stop()).rejects.toThrow(/Start a take/);
  });

  it('records HTTPS over HTTP/1.1 and HTTP/2 with certificates that browsers accept', async () => {
    const { store, recorder, proxy, ca } = await recording();
    expect((await askSecure(proxy, `${http2.origin}/gzip?one=1`, ca)).status).toBe(200);
    const answers = await askHttp2(proxy, http2.origin, ca, [
      { path: '/binary' },
      { path: '/two-cookies' },
      { path: '/echo', body: 'a=1', headers: { 'content-type': 'application/x-www-form-urlencoded' } },
    ]);
    expect(answers.map((answer) => answer.status)).toEqual([200, 200, 200]);
    expect(answers[0]?.bytes.equals(binary)).toBe(true);
    expect(answers[1]?.headers.filter(([name]) => name === 'set-cookie').map(([, value]) => value)).toEqual(['a=1', 'b=2']);
    await recorder.stop();
    const [first, ...later] = store.exchanges;
    expect(first).toMatchObject({ httpVersion: 'HTTP/1.1', url: `${http2.origin}/gzip?one=1` });
    expect(first?.timings.tls).toBeGreaterThan(0);
    expect(later.map((exchange) => [exchange.httpVersion, exchange.response?.httpVersion])).toEqual(Array(3).fill(['HTTP/2', 'HTTP/2']));
    const echoed = later.find((exchange) => exchange.url.endsWith('/echo'));
    expect(store.bodies.get(echoed?.requestBody?.hash ?? '')?.toString()).toBe('a=1');
    expect(later.every((exchange) => exchange.requestHeaders.every(([name]) => !name.startsWith(':')))).toBe(true);
  });

  it('keeps the key of its authority from others, and opens the same authority again', async () => {
    const place = join(folder, 'recorder');
    expect(statSync(join(place, 'authority.key')).mode & 0o077).toBe(0);
    const [once, again] = [await CertificateAuthority.open(place), await CertificateAuthority.open(place)];
    expect(again.fingerprint).toBe(once.fingerprint);
  });

  it('keeps the messages of a WebSocket both ways with their times, compressed ones too', async () => {
    const { store, recorder, proxy } = await recording();
    const { host } = new URL(plain.origin);
    const socket = await tunnel(proxy, host);
    const client = new WebSocket(`ws://${host}/live`, { createConnection: () => socket, perMessageDeflate: true });
    await new Promise((done) => client.once('open', done));
    const answers: Buffer[] = [];
    client.on('message', (data: Buffer) => answers.push(data));
    const long = 'bay 7 is free. '.repeat(200);
    client.send(long);
    client.send(Buffer.from([1, 2, 3]));
    while (answers.length < 2) await soon();
    client.close(1000, 'done');
    await new Promise((done) => client.once('close', done));
    await soon();
    await recorder.stop();
    const [exchange] = store.exchanges;
    expect(client.extensions).toContain('permessage-deflate');
    expect(exchange?.response?.status).toBe(101);
    const data = (exchange?.messages ?? []).filter((message) => message.kind === 'text' || message.kind === 'binary');
    expect(data.map((message) => [message.from, message.kind, message.size])).toEqual(
      [
        ['client', 'text', long.length],
        ['client', 'binary', 3],
        ['server', 'text', long.length],
        ['server', 'binary', 3],
      ].sort(
        (left, right) =>
          data.findIndex((message) => message.from === left[0] && message.kind === left[1]) -
          data.findIndex((message) => message.from === right[0] && message.kind === right[1]),
      ),
    );
    expect(data.find((message) => message.kind === 'text')?.text).toBe(long);
    expect(data.find((message) => message.kind === 'binary')?.base64).toBe('AQID');
    expect(exchange?.messages?.at(-1)).toMatchObject({ kind: 'close', text: '1000 done' });
  });

  // The frames of RFC 6455, 5.7: masked and unmasked “Hello”, in one frame and in two, and a ping with its pong.
  it('reads the example frames of RFC 6455, 5.7', async () => {
    const fromServer = [
      [0x81, 0x05, 0x48, 0x65, 0x6c, 0x6c, 0x6f],
      [0x01, 0x03, 0x48, 0x65, 0x6c, 0x80, 0x02, 0x6c, 0x6f],
      [0x89, 0x05, 0x48, 0x65, 0x6c, 0x6c, 0x6f],
    ].flat();
    const fromClient = [
      [0x81, 0x85, 0x37, 0xfa, 0x21, 0x3d, 0x7f, 0x9f, 0x4d, 0x51, 0x58],
      [0x8a, 0x85, 0x37, 0xfa, 0x21, 0x3d, 0x7f, 0x9f, 0x4d, 0x51, 0x58],
    ].flat();
    const raw = createTcpServer((socket) => {
      socket.once('data', () => {
        socket.write('HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\r\n');
        // One byte at a time: frames do not come in packets.
        for (const byte of fromServer) socket.write(Buffer.from([byte]));
      });
    });
    await new Promise<void>((done) => raw.listen(0, '127.0.0.1', done));
    const host = `127.0.0.1:${(raw.address() as AddressInfo).port}`;
    const { store, recorder, proxy } = await recording({ targets: [`http://${host}`] });
    const socket = await tunnel(proxy, host);
    let received = Buffer.alloc(0);
    socket.on('data', (chunk: Buffer) => (received = Buffer.concat([received, chunk])));
    socket.write(
      `GET / HTTP/1.1\r\nHost: ${host}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n`,
    );
    while (!received.includes(Buffer.from(fromServer))) await soon();
    socket.write(Buffer.from(fromClient));
    await soon(60);
    await recorder.stop();
    raw.close();
    const messages = store.exchanges[0]?.messages ?? [];
    const of = (from: string) => messages.filter((message) => message.from === from).map(({ kind, text: said }) => [kind, said]);
    expect(of('server')).toEqual([
      ['text', 'Hello'],
      ['text', 'Hello'],
      ['ping', 'Hello'],
    ]);
    expect(of('client')).toEqual([
      ['text', 'Hello'],
      ['pong', 'Hello'],
    ]);
  });

  it('keeps the events of a stream as they come, though it never ends by itself', async () => {
    const { store, recorder, proxy } = await recording();
    const asked = askPlain(proxy, `${plain.origin}/events`).catch(() => null);
    await soon(700);
    expect(store.exchanges[0]?.messages?.map((message) => message.text)).toEqual(['event: bay\ndata: {"free":3}', 'data: second']);
    await recorder.stop();
    await asked;
    expect(store.body(store.exchanges[0])?.toString()).toContain('data: second');
    expect(store.exchanges[0]?.failure).toContain('stopped before it was complete');
  });
});

it('measures how long a name took to be looked up', async () => {
  const named = plain.origin.replace('127.0.0.1', 'localhost');
  const { store, recorder, proxy } = await recording({ targets: [named] });
  await askPlain(proxy, `${named}/gzip`);
  await recorder.stop();
  expect(store.exchanges[0]?.timings.dns).toBeGreaterThanOrEqual(0);
  expect(store.exchanges[0]?.timings.connect).toBeGreaterThanOrEqual(0);
});

describe('what goes wrong while recording', () => {
  it('a response that is cut, a reset and a target that does not listen are told to the browser and kept with their reason', async () => {
    const { store, recorder, proxy } = await recording({ targets: [plain.origin, 'http://127.0.0.1:1'] });
    await expect(askPlain(proxy, `${plain.origin}/cut`)).rejects.toThrow();
    expect((await askPlain(proxy, `${plain.origin}/reset`)).status).toBe(502);
    expect((await askPlain(proxy, 'http://127.0.0.1:1/')).bytes.toString()).toContain('http://127.0.0.1:1 refused the connection');
    await recorder.stop();
    const [cut, reset, refused] = store.exchanges;
    expect(cut?.response?.status).toBe(200);
    expect(store.body(cut)?.toString()).toBe('only the beginning');
    expect(cut?.failure).toMatch(/closed|reset|aborted/);
    expect(reset).toMatchObject({ response: null, failure: expect.stringContaining('reset the connection') as string });
    expect(refused?.failure).toContain('See whether the application runs');
  });

  it('a client that names no possible host, and a target that sends an impossible status, disturb nobody else', async () => {
    const raw = createTcpServer((socket) => {
      socket.on('error', () => undefined);
      socket.once('data', () => socket.end('HTTP/1.1 099 Odd\r\nContent-Length: 2\r\nX-Key: 1\r\n\r\nok'));
    });
    await new Promise<void>((done) => raw.listen(0, '127.0.0.1', done));
    const odd = `http://127.0.0.1:${(raw.address() as AddressInfo).port}`;
    const { store, recorder, proxy } = await recording({ targets: [plain.origin, odd] });
    const socket = await tunnel(proxy, new URL(plain.origin).host);
    const answered = new Promise<string>((done) => socket.once('data', (chunk: Buffer) => done(chunk.toString())));
    socket.write('GET /gzip HTTP/1.1\r\nHost: a b%%:1\r\n\r\n');
    expect(await answered).toContain('200');
    socket.destroy();
    expect((await askPlain(proxy, `${odd}/`)).status).toBe(502);
    expect((await askPlain(proxy, `${plain.origin}/binary`)).status).toBe(200);
    await recorder.stop();
    raw.close();
    expect(store.exchanges.map((exchange) => new URL(exchange.url).origin)).toEqual([plain.origin, odd, plain.origin]);
    expect(store.exchanges[1]?.failure).not.toBeNull();
  });

  it('what a store could not take for a while is written later, and a stop that fails can be tried again', async () => {
    const { store, recorder, proxy } = await recording();
    const { saveExchanges } = store;
    store.saveExchanges = () => Promise.reject(new Error('the disk is full'));
    await askPlain(proxy, `${plain.origin}/gzip`);
    await soon();
    await expect(recorder.stop()).rejects.toThrow('the disk is full');
    expect(recorder.current?.exchangeCount).toBe(1);
    store.saveExchanges = saveExchanges;
    await recorder.stop();
    expect(store.exchanges.map((exchange) => exchange.response?.status)).toEqual([200]);
    expect(recorder.current).toBeNull();
  });

  it('what was counted is there after the process was killed, although the store had written none of it', async () => {
    const { store, recorder, proxy } = await recording();
    let goOn: () => void = () => undefined;
    const held = new Promise<void>((done) => {
      goOn = done;
    });
    store.saveExchanges = () => held;
    for (const path of ['/gzip', '/binary', '/br']) await askPlain(proxy, `${plain.origin}${path}`);
    await soon();
    expect([store.kept.size, recorder.current?.exchangeCount]).toEqual([0, 3]);
    // Another process finds the folder as it is at this moment.
    const next = new FakeStore();
    const { putBodies, saveExchanges } = next;
    const take = (id: string) => Promise.resolve(id === recorder.current?.takeId ? store.take : null);
    expect(await recoverJournals(join(folder, 'recorder'), { take, putBodies, saveExchanges })).toBe(3);
    expect(next.exchanges.map((exchange) => exchange.url)).toEqual(['/gzip', '/binary', '/br'].map((path) => plain.origin + path));
    expect(next.body(next.exchanges[1])?.equals(binary)).toBe(true);
    goOn();
    await recorder.stop();
  });

  it('an authority that could not be made once is made when it is asked for again', async () => {
    const place = join(folder, 'taken');
    writeFileSync(place, 'a file where a folder is to be');
    const recorder = new Recorder(new FakeStore() as unknown as Store, new LiveHub(), 0, place);
    await expect(recorder.authority()).rejects.toThrow();
    rmSync(place);
    expect((await recorder.authority()).certificatePem).toContain('BEGIN CERTIFICATE');
  });

  it('a kept connection that the target closes is opened anew, and the browser does not notice', async () => {
    const served = new WeakSet<object>();
    const closing = await plainTarget((request, response) => {
      // Every connection is good for one request; the second one on it is cut.
      if (served.has(request.socket)) request.socket.destroy();
      else response.end('good');
      served.add(request.socket);
    });
    opened.push(closing);
    const { store, recorder, proxy } = await recording({ targets: [closing.origin] });
    const { hostname, port } = new URL(proxy);
    const agent = new Agent({ keepAlive: true, maxSockets: 1 });
    const get = () =>
      new Promise((done, failed) => {
        request({ host: hostname, port, path: `${closing.origin}/`, agent }, (answer) =>
          answer.resume().on('end', () => done(answer.statusCode)),
        )
          .on('error', failed)
          .end();
      });
    expect([await get(), await get(), await get()]).toEqual([200, 200, 200]);
    agent.destroy();
    await recorder.stop();
    expect(store.exchanges.map((exchange) => exchange.failure)).toEqual([null, null, null]);
  });

  it('a browser that closes in the middle leaves what came so far', async () => {
    const { store, recorder, proxy } = await recording();
    const { hostname, port } = new URL(proxy);
    const socket: Socket = connect(Number(port), hostname, () =>
      socket.write(`GET ${plain.origin}/large?900000000 HTTP/1.1\r\nHost: x\r\n\r\n`),
    );
    socket.on('error', () => undefined);
    await new Promise((done) => socket.once('data', done));
    socket.destroy();
    while (store.exchanges.length === 0) await soon();
    await recorder.stop();
    expect(store.exchanges[0]?.failure).toBe('The browser closed the connection before the response was complete.');
    expect(store.exchanges[0]?.response?.body?.size).toBeGreaterThan(0);
  });

  it('300 MB pass through, the first part is kept and the cut is told', async () => {
    const { store, recorder, proxy } = await recording({}, { bodyLimitBytes: 1 << 20 });
    const bytes = 300_000_000;
    const { hostname, port } = new URL(proxy);
    const before = process.memoryUsage().rss;
    let largest = before;
    const size = await new Promise<number>((done) => {
      let got = 0;
      request({ host: hostname, port, path: `${plain.origin}/large?${bytes}` }, (answer) => {
        answer.on('data', (chunk: Buffer) => {
          got += chunk.length;
          largest = Math.max(largest, process.memoryUsage.rss());
        });
        answer.on('end', () => {
          done(got);
        });
      }).end();
    });
    const take = await recorder.stop();
    expect(size).toBe(bytes);
    expect(store.exchanges[0]?.response?.body).toMatchObject({ size: 1 << 20, wholeSize: bytes });
    expect(take.warnings?.[0]).toMatchObject({ kind: 'cut-body', text: expect.stringContaining('300,000,000 bytes') as string });
    // Had it been held back, all of it would stand in memory.
    expect(largest - before).toBeLessThan(250e6);
  });

  it('1,000 requests are all kept, in order of their start', async () => {
    const { store, recorder, proxy } = await recording();
    const addresses = Array.from({ length: 1000 }, (_, index) => `${plain.origin}/echo?${index}`);
    for (let at = 0; at < addresses.length; at += 20)
      await Promise.all(addresses.slice(at, at + 20).map((address) => askPlain(proxy, address)));
    await recorder.stop();
    expect(store.exchanges.length).toBe(1000);
    expect(new Set(store.exchanges.map((exchange) => exchange.url)).size).toBe(1000);
    expect(store.exchanges.every((exchange) => exchange.response?.status === 200)).toBe(true);
  });

  it('hosts that are not allowed are refused and named, in tunnels too, and nothing of them is kept', async () => {
    const { store, recorder, proxy } = await recording();
    expect((await askPlain(proxy, 'http://127.0.0.1:1/elsewhere')).bytes.toString()).toContain('because the environment does not name it');
    await expect(tunnel(proxy, 'elsewhere.example:443')).rejects.toThrow(/403/);
    expect(recorder.current?.warnings.map((warning) => warning.about)).toEqual(['http://127.0.0.1:1', 'https://elsewhere.example']);
    await recorder.stop();
    expect(store.exchanges).toEqual([]);
  });

  it('warns of the cache, of a refused certificate and of a sign-in that holds for a connection', async () => {
    const { recorder, proxy } = await recording({ trust: { authorities: '', checksCertificates: true } });
    await askPlain(proxy, `${plain.origin}/cached`);
    await askPlain(proxy, `${plain.origin}/ntlm`);
    await askSecure(proxy, `${http2.origin}/gzip`, (await recorder.authority()).certificatePem);
    await soon(100);
    const warnings = (recorder.current?.warnings ?? []).map((warning) => `${warning.kind}: ${warning.text}`);
    expect(warnings[0]).toMatch(/^cached: GET \/cached came from the browser's cache/);
    expect(warnings[1]).toMatch(/^connection-sign-in: .* asks for a sign-in by NTLM/);
    expect(warnings[2]).toMatch(/^certificate: The certificate of 127\.0\.0\.1:\d+ was not accepted \(self-signed/);
    await recorder.stop();
  });

  it('takes a client that hangs up for one that does not trust it, but not one that also asks', async () => {
    const { recorder, proxy, ca } = await recording();
    const untrusting = () => expect(askSecure(proxy, `${http2.origin}/gzip`, targetAuthority.certificatePem)).rejects.toThrow();
    const warnings = () => (recorder.current?.warnings ?? []).map((warning) => warning.text);
    await untrusting();
    await askSecure(proxy, `${http2.origin}/gzip`, ca);
    await soon(1800);
    expect(warnings()).toEqual([]);
    await recorder.stop();
    const another = await recording();
    await expect(askSecure(another.proxy, `${http2.origin}/gzip`, targetAuthority.certificatePem)).rejects.toThrow();
    await soon(1800);
    expect((another.recorder.current?.warnings ?? []).map((warning) => warning.text)).toEqual([
      expect.stringContaining('The browser refused the certificate for 127.0.0.1') as string,
    ]);
    await another.recorder.stop();
  });

  it('tells of a page whose files nobody asked for, and takes names for transactions from it', async () => {
    const { recorder, proxy } = await recording();
    await askPlain(proxy, `${plain.origin}/page`);
    await soon(50);
    expect(recorder.current?.suggestions).toEqual(['Book the gate', 'Gate']);
    await soon(4200);
    expect(recorder.current?.warnings.map((warning) => warning.text)).toEqual([
      expect.stringContaining('The page /page names a file that the browser never asked for (/style.css)'),
    ]);
    await recorder.stop();
  });
});

describe('steering a recording', () => {
  it('pauses, resumes, discards the last, and marks', async () => {
    const { store, recorder, proxy } = await recording();
    const echo = (name: string) => askPlain(proxy, `${plain.origin}/echo?${name}`);
    await recorder.mark('begin', 'Open');
    await echo('one');
    await recorder.pause(true);
    await echo('while-paused');
    await recorder.pause(false);
    await echo('two');
    await recorder.mark('begin', 'Wrong turn');
    await echo('three');
    expect(await recorder.discardLast(1)).toEqual([3]);
    await echo('four');
    await expect(recorder.start('p', { name: 'B', forNetwork: false, bodyLimitBytes: 1024 }, {} as Environment)).rejects.toThrow(
      /“Take” is being recorded. Stop it/,
    );
    const take = await recorder.stop();
    expect(store.exchanges.map((exchange) => exchange.url.split('?')[1])).toEqual(['one', 'two', 'four']);
    expect(take.marks.map((mark) => mark.kind)).toEqual(['begin', 'pause', 'resume']);
    expect(take.state).toBe('done');
  });

  it('does not bring a stream back that was thrown away while it still lasts', async () => {
    const { store, recorder, proxy } = await recording();
    await askPlain(proxy, `${plain.origin}/gzip`);
    const asked = askPlain(proxy, `${plain.origin}/events`).catch(() => null);
    while (store.exchanges.length < 2) await soon();
    expect(await recorder.discardLast(1)).toEqual([2]);
    await soon(600);
    await recorder.stop();
    await asked;
    expect(store.exchanges.map((exchange) => exchange.n)).toEqual([1]);
  });

  it('gives its certificate to those who ask the proxy itself, and wants a password from other devices', async () => {
    const { recorder, proxy } = await recording({}, { forNetwork: true });
    const page = await askPlain(proxy, '/');
    expect(page.bytes.toString()).toContain((await recorder.authority()).fingerprint);
    expect((await askPlain(proxy, 'http://certificate.sturdy/sturdy-recording.pem')).bytes.toString()).toContain('BEGIN CERTIFICATE');
    expect((await askPlain(proxy, `${plain.origin}/echo`)).status).toBe(407);
    await expect(tunnel(proxy, new URL(http2.origin).host)).rejects.toThrow(/407/);
    const password = recorder.current?.network?.password ?? '';
    const headers = ['Proxy-Authorization', `Basic ${Buffer.from(password).toString('base64')}`];
    expect((await askPlain(proxy, `${plain.origin}/echo`, { headers })).status).toBe(200);
    (await tunnel(proxy, new URL(http2.origin).host, `${headers.join(': ')}\r\n`)).destroy();
    // A request for an upgrade is a way in like any other.
    const upgrade = [
      'Connection',
      'Upgrade',
      'Upgrade',
      'websocket',
      'Sec-WebSocket-Version',
      '13',
      'Sec-WebSocket-Key',
      'AAAAAAAAAAAAAAAAAAAAAA==',
    ];
    expect((await askPlain(proxy, `${plain.origin}/echo`, { headers: upgrade })).status).toBe(407);
    // With it the target is asked; this one knows no upgrade and hangs up.
    await expect(askPlain(proxy, `${plain.origin}/echo`, { headers: [...upgrade, ...headers] })).rejects.toThrow('hang up');
    await recorder.stop();
  });
});

describe('targets that ask connections to sign in', () => {
  it('shows the client certificate of the environment, and signs in by Digest and by NTLM on the connection', async () => {
    const tls = await targetAuthority.issue('127.0.0.1');
    const client = await targetAuthority.issue('tester');
    const guarded = await secureTarget({ ...tls, ca: targetAuthority.certificatePem });
    const digest = await plainTarget(digestTarget);
    const ntlm = await plainTarget(ntlmTarget());
    opened.push(guarded, digest, ntlm);
    const { store, recorder, proxy, ca } = await recording({
      targets: [guarded.origin, digest.origin, ntlm.origin],
      credentials: [
        { kind: 'certificate', origin: guarded.origin, certificate: client.certificate, key: client.key, passphrase: '' },
        { kind: 'digest', origin: digest.origin, user: 'Mufasa', password: 'Circle of Life' },
        { kind: 'ntlm', origin: ntlm.origin, user: 'User', password: 'Password', domain: 'Domain' },
      ],
    });
    expect((await askSecure(proxy, `${guarded.origin}/gzip`, ca)).status).toBe(200);
    expect(
      (await askPlain(proxy, `${digest.origin}/a`, { method: 'POST', headers: ['Content-Length', '3'], body: 'abc' })).bytes.toString(),
    ).toBe('abc');
    expect((await askPlain(proxy, `${ntlm.origin}/a`)).bytes.toString()).toBe('User');
    await recorder.stop();
    // A virtual user shows the same certificate by itself.
    const environment: Environment = {
      ...plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [guarded.origin] }),
      credentials: [{ kind: 'certificate', origin: '*', certificate: client.certificate, key: client.key, passphrase: '' }],
      trust: { authorities: targetAuthority.certificatePem, checksCertificates: true },
    };
    const ask = async (ownEnvironment: Environment) => {
      const user = new HttpDriver(optionsFor(ownEnvironment, new TargetTls(ownEnvironment)));
      const wanted = { method: 'GET', origin: guarded.origin, target: '/zstd', headers: [], body: null, followRedirects: false };
      const response = await user.send({ ...wanted, keepsBody: 'always' });
      await user.close();
      return response;
    };
    expect(Buffer.from((await ask(environment)).body ?? []).toString()).toBe(text);
    expect((await ask({ ...environment, credentials: [] })).status).toBe(0);
    expect((await ask({ ...environment, trust: { authorities: '', checksCertificates: true } })).failure?.text).toContain(
      'showed a certificate that is not accepted',
    );
    expect(store.exchanges.map((exchange) => exchange.response?.status)).toEqual([200, 200, 200]);
    // What the recorder adds is not part of what the browser sent.
    expect(store.exchanges.flatMap((exchange) => exchange.requestHeaders).some(([name]) => /authorization/i.test(name))).toBe(false);
  });

  it('goes through an upstream proxy', async () => {
    const outer = await recording();
    const { store, recorder, proxy, ca } = await recording({
      upstreamProxy: outer.proxy,
      trust: { authorities: outer.ca, checksCertificates: true },
    });
    expect((await askPlain(proxy, `${plain.origin}/gzip`)).status).toBe(200);
    expect((await askSecure(proxy, `${http2.origin}/gzip`, ca)).status).toBe(200);
    await recorder.stop();
    await outer.recorder.stop();
    expect(store.exchanges.map((exchange) => exchange.url)).toEqual(outer.store.exchanges.map((exchange) => exchange.url));
  });
});
