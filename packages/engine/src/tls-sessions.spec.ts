import { createServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import type { TLSSocket } from 'node:tls';
import { WebSocketServer } from 'ws';
import { HttpDriver, optionsFor, TargetTls, type WireRequest } from './index.js';
import { testCertificate } from './test/certificate.js';
import { environment } from './test/plans.js';

it('further connections of a user go on with its session of TLS (RFC 8446, 2.2); those of a new visitor begin one', async () => {
  const reused: boolean[] = [];
  const server = createServer(testCertificate, (_request, response) => response.end('ok'));
  server.on('secureConnection', (socket: TLSSocket) => reused.push(socket.isSessionReused()));
  const lines = new WebSocketServer({ server });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const origin = `https://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const trusting = { ...environment(origin), trust: { authorities: testCertificate.cert, checksCertificates: true } };
  const driver = new HttpDriver(optionsFor(trusting, new TargetTls(trusting)));
  const ask: WireRequest = { method: 'GET', origin, target: '/', headers: [], body: null, followRedirects: false, keepsBody: 'always' };
  const failures = [await driver.send(ask)];
  // Two at a time: the second one needs a connection of its own.
  failures.push(...(await Promise.all([driver.send(ask), driver.send(ask)])));
  failures.push(await driver.send({ ...ask, opensSocket: 'line' }));
  await driver.reset();
  failures.push(await driver.send(ask));
  expect(failures.map((failure) => failure.failure)).toEqual([null, null, null, null, null]);
  expect(reused).toEqual([false, true, true, false]);
  await driver.close();
  lines.close();
  server.close();
});
