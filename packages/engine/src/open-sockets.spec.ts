import { createServer, type AddressInfo } from 'node:net';
import { HttpDriver } from './index.js';
import { openSockets } from './net/open-sockets.js';

it('connections count from the moment at which they stand to the one at which they are closed', async () => {
  const server = createServer((socket) => socket.on('data', () => socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok')));
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const driver = new HttpDriver({ refuses: () => null });
  const ask = { method: 'GET', origin, target: '/', headers: [], body: null, followRedirects: false, keepsBody: 'always' as const };
  await Promise.all([driver.send(ask), driver.send(ask)]);
  await driver.send(ask);
  expect(openSockets.count).toBe(2);
  await driver.close();
  await new Promise((done) => setTimeout(done, 50));
  expect(openSockets.count).toBe(0);
  server.close();
});
