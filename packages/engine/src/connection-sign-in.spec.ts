import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { plainEnvironment, type Credential } from '@sturdy/core';
import { HttpDriver, optionsFor, TargetTls, type WireRequest } from './index.js';
import { digestTarget, ntlmTarget } from './test/sign-in-targets.js';

const servers: Server[] = [];
afterAll(() => {
  for (const server of servers) {
    server.closeAllConnections();
    server.close();
  }
});

async function open(listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  servers.push(server);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

const driver = (origin: string, credentials: Credential[]) => {
  const environment = { ...plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] }), credentials };
  return new HttpDriver(optionsFor(environment, new TargetTls(environment)));
};

const ask = (origin: string, more: Partial<WireRequest> = {}): WireRequest => ({
  method: 'GET',
  origin,
  target: '/a',
  headers: [],
  body: null,
  followRedirects: false,
  keepsBody: 'always',
  ...more,
});
const said = (body: Uint8Array | null) => Buffer.from(body ?? []).toString();

describe('a virtual user whose connection signs in to a target', () => {
  it('sends Basic and bearer unasked', async () => {
    const origin = await open((request, response) => response.end(request.headers.authorization));
    const basic = driver(origin, [{ kind: 'basic', origin: '*', user: 'Aladdin', password: 'open sesame' }]);
    // RFC 7617, 2.
    expect(said((await basic.send(ask(origin, { headers: [['Authorization', 'Basic old']] }))).body)).toBe(
      'Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ==',
    );
    const bearer = driver(origin, [{ kind: 'bearer', origin, token: 'mF_9.B5f-4.1JqM' }]);
    expect(said((await bearer.send(ask(origin))).body)).toBe('Bearer mF_9.B5f-4.1JqM');
    await Promise.all([basic.close(), bearer.close()]);
  });

  it('answers Digest once and goes on with the nonce; a wrong password stays outside', async () => {
    let asked = 0;
    const origin = await open((request, response) => {
      asked++;
      digestTarget(request, response);
    });
    const user = driver(origin, [{ kind: 'digest', origin: '*', user: 'Mufasa', password: 'Circle of Life' }]);
    for (const body of ['one', 'two', 'three']) expect(said((await user.send(ask(origin, { method: 'POST', body }))).body)).toBe(body);
    expect(asked).toBe(4);
    const wrong = driver(origin, [{ kind: 'digest', origin: '*', user: 'Mufasa', password: 'wrong' }]);
    expect((await wrong.send(ask(origin))).status).toBe(401);
    await Promise.all([user.close(), wrong.close()]);
  });

  it('signs a connection in by NTLM, and each new visit again', async () => {
    const statuses: number[] = [];
    const target = ntlmTarget();
    const origin = await open((request, response) => {
      response.on('finish', () => statuses.push(response.statusCode));
      target(request, response);
    });
    const user = driver(origin, [{ kind: 'ntlm', origin, user: 'User', password: 'Password', domain: 'Domain' }]);
    expect(said((await user.send(ask(origin))).body)).toBe('User');
    expect(said((await user.send(ask(origin))).body)).toBe('User');
    await user.reset();
    expect(said((await user.send(ask(origin))).body)).toBe('User');
    expect(statuses).toEqual([401, 401, 200, 200, 401, 401, 200]);
    await user.close();
  });

  it('says what is wrong with a certificate of the environment that cannot be read', async () => {
    const origin = 'https://127.0.0.1:1';
    const user = driver(origin, [{ kind: 'certificate', origin, certificate: 'BEGIN CERTIFICATE', key: 'PRIVATE KEY', passphrase: '' }]);
    expect((await user.send(ask(origin))).failure?.text).toContain('certificate or key for https://127.0.0.1:1 cannot be read');
  });
});
