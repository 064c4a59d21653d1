import { masked, noTimings, plainEnvironment, type RequestExchange, type Take } from '@sturdy/core';
import { ProjectSecrets } from './project-secrets.js';

const page = '<form><input name="user"><input name="entry" type="password"></form>';
const ref = (hash: string, mimeType: string, size = 100) => ({ hash, mimeType, size });
const exchange = (n: number, sent: RequestExchange['requestBody'], received: RequestExchange['requestBody']): RequestExchange => ({
  kind: 'request',
  n,
  startedAtMs: n,
  durationMs: 1,
  method: sent ? 'POST' : 'GET',
  url: 'http://127.0.0.1:1/',
  httpVersion: 'HTTP/1.1',
  requestHeaders: [],
  requestBody: sent,
  response: { status: 200, statusText: 'OK', httpVersion: 'HTTP/1.1', headers: [], body: received },
  failure: null,
  timings: noTimings,
  harEntry: null,
});

/** A store of one take, whose exchanges may grow while it is recorded. */
function storeOf(state: Take['state']) {
  const bodies: Record<string, string> = {
    page,
    echo: `Basic ${btoa('medlar-5532')}`,
    first: 'user=kim&entry=plum-4410',
    second: '{"password":"cherry-9913"}',
  };
  const list = [exchange(1, null, ref('page', 'text/html')), exchange(2, ref('first', 'application/x-www-form-urlencoded'), null)];
  const asked = jest.fn(() => Promise.resolve(list));
  return {
    list,
    asked,
    store: {
      environments: () =>
        Promise.resolve([
          {
            ...plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [] }),
            credentials: [{ kind: 'bearer' as const, origin: '*', token: 'medlar-5532' }],
          },
        ]),
      take: () => Promise.resolve({ id: 't', projectId: 'p', name: 'T', startedAt: '', state, marks: [], harLog: null } as Take),
      exchanges: asked,
      exchange: (_takeId: string, n: number) => Promise.resolve(list.find((candidate) => candidate.n === n) ?? null),
      body: (hash: string) => Promise.resolve({ bytes: Buffer.from(bodies[hash] ?? ''), mimeType: '' }),
    },
  };
}

describe('What is known to be secret in a project', () => {
  it('is what its environments hold, and what was typed into the password fields of a take', async () => {
    const { store, asked } = storeOf('done');
    const secrets = new ProjectSecrets(store);
    const hide = async (text: string, takes: string[]) => (await secrets.of('p', takes)).hide(text);
    expect(await hide('medlar-5532, plum-4410', [])).toBe(`${masked}, plum-4410`);
    expect(await hide('medlar-5532, plum-4410, kim', ['t', 't'])).toBe(`${masked}, ${masked}, kim`);
    expect(await hide('plum-4410', ['t'])).toBe(masked);
    // A take that is done is looked through once.
    expect(asked).toHaveBeenCalledTimes(1);
  });

  it('is told to whom it is shown: what was typed in the take, and else only what stands in what is shown', async () => {
    const { store, list } = storeOf('done');
    list.push({ ...exchange(3, null, null), url: 'http://127.0.0.1:1/?key=medlar-5532' });
    const secrets = new ProjectSecrets(store);
    const take = { id: 't', projectId: 'p' };
    expect(await secrets.standingIn(take, [1, 2], ['page'])).toEqual(['plum-4410']);
    expect(await secrets.standingIn(take, [3, 99], [])).toEqual(['plum-4410', 'medlar-5532']);
    expect(await secrets.standingIn(take, [], ['echo'])).toEqual(['plum-4410', 'bWVkbGFyLTU1M']);
  });

  it('grows with a take that is being recorded', async () => {
    const { store, list } = storeOf('recording');
    const secrets = new ProjectSecrets(store);
    expect((await secrets.of('p', ['t'])).hide('plum-4410 cherry-9913')).toBe(`${masked} cherry-9913`);
    list.push(exchange(3, ref('second', 'application/json'), null));
    expect((await secrets.of('p', ['t'])).hide('plum-4410 cherry-9913')).toBe(`${masked} ${masked}`);
  });

  it('is not looked for in bodies that are no forms that somebody typed into', async () => {
    const { store, list } = storeOf('done');
    list.push(exchange(3, ref('second', 'application/json', 1 << 20), null));
    expect((await new ProjectSecrets(store).of('p', ['t'])).hide('cherry-9913')).toBe('cherry-9913');
  });
});
