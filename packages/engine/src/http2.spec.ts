import { createSecureServer } from 'node:http2';
import { createServer } from 'node:https';
import type { AddressInfo, Server } from 'node:net';
import { HttpDriver, optionsFor, TargetTls, type WireRequest } from './index.js';
import { testCertificate } from './test/certificate.js';
import { environment } from './test/plans.js';

const closing: (() => void)[] = [];
afterAll(() => {
  for (const close of closing) close();
});

/** A target over TLS that says what was spoken, after a while; `sockets` counts its connections, `together` the most requests at a time. */
async function target(http2: boolean): Promise<{ origin: string; sockets: () => number; together: () => number }> {
  const server = (http2
    ? createSecureServer({ ...testCertificate, allowHTTP1: true })
    : createServer(testCertificate)) as unknown as Server;
  let sockets = 0;
  let open = 0;
  let most = 0;
  server.on('secureConnection', (socket: { destroy: () => void }) => {
    sockets++;
    closing.push(() => {
      socket.destroy();
    });
  });
  server.on(
    'request',
    (
      request: { httpVersion: string; headers: Record<string, string> },
      response: { setHeader: (name: string, value: string) => void; end: (text: string) => void },
    ) => {
      response.setHeader('set-cookie', 'desk=d7; Path=/');
      most = Math.max(most, ++open);
      setTimeout(() => {
        open--;
        response.end(`${request.httpVersion} ${request.headers['cookie'] ?? 'no cookie'}`);
      }, 100);
    },
  );
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  closing.push(() => server.close());
  return { origin: `https://127.0.0.1:${(server.address() as AddressInfo).port}`, sockets: () => sockets, together: () => most };
}

const ask = (origin: string, http2: boolean): WireRequest => ({
  method: 'GET',
  origin,
  target: '/',
  headers: [['Accept', 'text/plain']],
  body: null,
  followRedirects: false,
  keepsBody: 'always',
  http2,
});

const driverFor = (origin: string): HttpDriver => {
  const trusting = { ...environment(origin), trust: { authorities: testCertificate.cert, checksCertificates: true } };
  const driver = new HttpDriver(optionsFor(trusting, new TargetTls(trusting)));
  closing.push(() => void driver.close());
  return driver;
};
const textOf = ({ failure, body }: Awaited<ReturnType<HttpDriver['send']>>): string => failure?.text ?? Buffer.from(body ?? []).toString();

describe('a step that asks for HTTP/2', () => {
  it('is spoken to in HTTP/2, with cookies, and requests at the same time share one connection (RFC 9113)', async () => {
    const { origin, sockets, together } = await target(true);
    const driver = driverFor(origin);
    expect(textOf(await driver.send(ask(origin, true)))).toBe('2.0 no cookie');
    const answers = await Promise.all(Array.from({ length: 20 }, () => driver.send(ask(origin, true))));
    expect(answers.map(textOf)).toEqual(Array.from({ length: 20 }, () => '2.0 desk=d7'));
    expect(sockets()).toBe(1);
    expect(together()).toBe(20);
  });

  it('falls back to HTTP/1.1 where the target speaks nothing else, with connections as browsers open them', async () => {
    const { origin, sockets } = await target(false);
    const driver = driverFor(origin);
    expect(textOf(await driver.send(ask(origin, true)))).toBe('1.1 no cookie');
    const answers = await Promise.all(Array.from({ length: 6 }, () => driver.send(ask(origin, true))));
    expect(answers.map(textOf)).toEqual(Array.from({ length: 6 }, () => '1.1 desk=d7'));
    expect(sockets()).toBe(6);
  });

  it('is the only one: others are spoken to in HTTP/1.1', async () => {
    const { origin } = await target(true);
    expect(textOf(await driverFor(origin).send(ask(origin, false)))).toBe('1.1 no cookie');
  });
});
