import express from 'express';
import request from 'supertest';
import { Problem } from '../problem/problem.js';
import { guardOrigin } from './guard-origin.js';

const app = (hostNames: string[]) => {
  const server = express();
  server.use(guardOrigin(hostNames));
  server.use((_request, response) => void response.send('in'));
  server.use((error: unknown, _request: express.Request, response: express.Response, _next: express.NextFunction) => {
    response.status(error instanceof Problem ? error.status : 500).send(error instanceof Problem ? error.detail : '');
  });
  return server;
};
const asks = async (hostNames: string[], host: string, origin?: string) => {
  const asked = request(app(hostNames)).post('/').set('Host', host);
  const { status, text } = await (origin === undefined ? asked : asked.set('Origin', origin));
  return status === 200 ? text : `${status} ${text}`;
};

describe('who may ask the server', () => {
  it.each(['127.0.0.1:4300', 'localhost:4300', '[::1]:4300'])('asks by a name of loopback: %s', async (host) => {
    expect(await asks([], host)).toBe('in');
    expect(await asks([], host, `http://${host}`)).toBe('in');
    expect(await asks([], host, 'http://evil.example')).toMatch(/^403 A page of http:\/\/evil\.example/);
  });

  it('or by a name that the server was given, with or without TLS in front of it', async () => {
    const names = ['load.company.example'];
    expect(await asks(names, 'load.company.example:4300', 'http://load.company.example:4300')).toBe('in');
    expect(await asks(names, 'load.company.example', 'https://load.company.example')).toBe('in');
    expect(await asks(names, 'load.company.example', 'https://evil.example')).toMatch(/^403 A page of/);
    expect(await asks(names, '127.0.0.1:4300')).toBe('in');
    // TLS in front of loopback is nobody that is known.
    expect(await asks(names, '127.0.0.1:4300', 'https://127.0.0.1:4300')).toMatch(/^403/);
  });

  it('others are told which names there are, and how to add one', async () => {
    expect(await asks([], 'evil.example')).toMatch(/^403 .*loopback names only, not as “evil\.example”.*--host-name/);
    expect(await asks(['load.company.example'], 'load.company.example.evil.example')).toMatch(
      /^403 .*knows loopback names and load\.company\.example/,
    );
    expect(await asks(['load.company.example'], 'a b')).toMatch(/^403/);
  });
});
