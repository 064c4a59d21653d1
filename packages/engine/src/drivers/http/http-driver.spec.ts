import type { Server } from 'node:http';
import { gzipSync } from 'node:zlib';
import type { Header } from '@sturdy/core';
import { startYard } from '@sturdy/standins';
import { HttpDriver, optionsFor, TargetTls } from '../../index.js';
import { get } from '../../test/get.js';
import { environment } from '../../test/plans.js';
import { serve } from '../../test/serve.js';
import { notAllowed } from '../../contract/rules.js';

describe('HTTP driver', () => {
  let origin = '';
  let server: Server;
  const seen: { url: string; method: string; cookie: string }[] = [];
  beforeAll(async () => {
    ({ origin, server } = await serve((request, response) => {
      seen.push({ url: request.url ?? '', method: request.method ?? '', cookie: request.headers.cookie ?? '' });
      if (request.url === '/set')
        response.setHeader('Set-Cookie', ['SID=31d4d96e407aad42; Path=/; HttpOnly', 'lang=en-US; Path=/admin', 'gone=1; Max-Age=0']);
      if (request.url === '/go') response.writeHead(302, { Location: './end?x=1', 'Set-Cookie': 'hop=1' });
      if (request.url === '/away') response.writeHead(302, { Location: 'http://127.0.0.2:1/' });
      if (request.url === '/zip') {
        response.setHeader('Content-Encoding', 'gzip');
        response.end(gzipSync('unpacked'));
      } else response.end('ok');
    }));
  });
  afterAll(() => server.close());
  const driver = () => new HttpDriver({ refuses: (target) => (target === origin ? null : notAllowed(target)) });

  it('keeps cookies by path and lifetime (RFC 6265, 3.1 examples), each user its own', async () => {
    const user = driver();
    await user.send(get(origin, '/set'));
    await user.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('SID=31d4d96e407aad42');
    await user.send(get(origin, '/admin/x'));
    expect(seen.at(-1)?.cookie).toBe('lang=en-US; SID=31d4d96e407aad42');
    const httpDriver = driver();
    await httpDriver.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('');
    await user.reset();
    await user.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('');
    await Promise.all([user.close(), httpDriver.close()]);
  });

  it('follows a redirect as GET with the cookies set on the way (RFC 9110, 15.4.3), but never to a host that is not allowed', async () => {
    const user = driver();
    const followed = await user.send(get(origin, '/go', { method: 'POST', body: 'a=1', followRedirects: true }));
    expect(followed.status).toBe(200);
    expect(seen.at(-1)).toEqual({ url: '/end?x=1', method: 'GET', cookie: 'hop=1' });
    const refused = await user.send(get(origin, '/away', { followRedirects: true }));
    expect(refused).toMatchObject({
      status: 0,
      failure: { code: 'target-not-allowed', text: expect.stringContaining('http://127.0.0.2:1 is not an allowed target') as string },
    });
    await user.close();
  });

  it('takes what signs in at one origin to no other, where a redirect leads there (Fetch standard, HTTP-redirect fetch)', async () => {
    const got: (string | undefined)[] = [];
    const elsewhere = await serve((request, response) => {
      got.push(request.headers.authorization, request.headers.cookie);
      response.end('there');
    });
    const first = await serve((request, response) => {
      got.push(request.headers.authorization);
      response.writeHead(307, { Location: request.url === '/in' ? '/out' : `${elsewhere.origin}/` }).end();
    });
    const user = new HttpDriver({ refuses: () => null });
    const headers: Header[] = [
      ['Authorization', 'Bearer mF_9.B5f-4.1JqM'],
      ['Cookie', 'theme=dark'],
    ];
    const answer = await user.send(get(first.origin, '/in', { headers, followRedirects: true }));
    expect([answer.status, Buffer.from(answer.body ?? []).toString()]).toEqual([200, 'there']);
    expect(got).toEqual(['Bearer mF_9.B5f-4.1JqM', 'Bearer mF_9.B5f-4.1JqM', undefined, undefined]);
    await user.close();
    first.server.close();
    elsewhere.server.close();
  });

  it('hits nothing outside this machine, even where a redirect leads to a target of the environment', async () => {
    const options = optionsFor(environment('http://192.0.2.1'), new TargetTls(environment('http://192.0.2.1')));
    const user = new HttpDriver(options);
    expect((await user.send(get('http://192.0.2.1', '/'))).failure?.text).toMatch(/nothing was sent/);
    await user.close();
  });

  it('unpacks bodies, counts the bytes on the wire, and keeps the connection', async () => {
    const user = driver();
    const first = await user.send(get(origin, '/zip'));
    const second = await user.send(get(origin, '/zip'));
    expect(Buffer.from(second.body ?? []).toString()).toBe('unpacked');
    expect(second.bytesIn).toBe(gzipSync('unpacked').length);
    expect(first.timings.connect).toBeGreaterThanOrEqual(0);
    expect(second.timings.connect).toBe(-1);
    await user.close();
  });

  it('says in a sentence what a broken server did: refused, reset, garbage, cut, too slow', async () => {
    const yard = await startYard({ port: 0 });
    const user = new HttpDriver({ refuses: () => null, answerLimitMs: 300 });
    const failure = async (target: string, at = yard.origin) => (await user.send(get(at, target))).failure?.text;
    expect(await failure('/trouble/reset')).toMatch(/reset the connection|closed the connection/);
    expect(await failure('/trouble/garbage')).toContain('answered with something that is not HTTP');
    expect(await failure('/trouble/cut')).toContain('closed the connection before its answer was complete');
    expect(await failure('/trouble/slow?ms=900')).toContain('no complete answer within 300 ms');
    expect(await failure('/', 'http://127.0.0.1:1')).toContain('refused the connection');
    await user.close();
    await yard.stop();
  });
});
