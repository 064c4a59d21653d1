import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Environment, Script } from '@sturdy/core';
import { runSturdy, startSturdy, type StartedServer } from './test/sturdy-process.js';

let folder: string;
let server: StartedServer;
let address: string;

async function ask<T>(method: string, path: string, body?: object): Promise<T> {
  const answer = await fetch(`${address}/api${path}`, {
    method,
    ...(body ? { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) } : {}),
  });
  return (await answer.json()) as T;
}

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-project-cli-'));
  server = await startSturdy(['--data', join(folder, 'data'), '--project', 'Tidewell']);
  address = server.origin;
}, 60_000);
afterAll(async () => {
  await server.stop();
  rmSync(folder, { recursive: true, force: true });
});

describe('a project as files, by the command line', () => {
  const at = (path: string) => join(folder, 'tidewell', path);
  const project = (...args: string[]) => runSturdy(['project', ...args]);
  const exported = () => project('export', 'Tidewell', at(''), '--server', address);

  it('is a folder in which a change of one step is a change of a few lines', async () => {
    const curl = "curl 'http://127.0.0.1:9/desk' -H 'Accept: text/html'";
    const { take } = await ask<{ take: { id: string } }>('POST', '/projects/p1/takes/paste', { name: 'Look', text: curl });
    const script = await ask<Script>('POST', `/takes/${take.id}/script`, { name: 'Look at the desk' });
    expect((await exported()).out).toMatch(/wrote scripts\/Look-at-the-desk\.yaml\n/);
    writeFileSync(at('notes.txt'), 'mine');
    const before = readFileSync(at('scripts/Look-at-the-desk.yaml'), 'utf8').split('\n');
    const [transaction] = script.transactions;
    if (!transaction) throw new Error('The script has no transaction.');
    const pause = { kind: 'pause' as const, id: 'pause-1', ms: 750 };
    await ask('PUT', `/scripts/${script.id}`, { ...script, transactions: [{ ...transaction, steps: [...transaction.steps, pause] }] });
    const { out, status } = await exported();
    expect([status, out.split('\n')[0], out]).toEqual([
      0,
      'wrote scripts/Look-at-the-desk.yaml',
      expect.stringMatching(/ 1 written, 0 removed\n$/),
    ]);
    const after = readFileSync(at('scripts/Look-at-the-desk.yaml'), 'utf8').split('\n');
    expect(after.filter((line) => !before.includes(line))).toEqual(['      - pause: 750', '        id: pause-1']);
    expect(after).toHaveLength(before.length + 2);
  });

  it('loses the files of what the project no longer has, and no other', async () => {
    const [script] = await ask<Script[]>('GET', '/projects/p1/scripts');
    await ask('PUT', `/scripts/${script?.id ?? ''}`, { ...script, name: 'Another name' });
    const { out } = await exported();
    expect(out).toContain('wrote scripts/Another-name.yaml');
    expect(out).toContain('removed scripts/Look-at-the-desk.yaml');
    expect(readFileSync(at('notes.txt'), 'utf8')).toBe('mine');
  });

  it('is checked with file, line and column, and imported as a copy with the secrets that are given', async () => {
    const [environment] = await ask<Environment[]>('GET', '/projects/p1/environments');
    const credentials = ['kim', 'mara'].map((user) => ({ kind: 'basic', origin: '*', user, password: `quince-${user}` }));
    await ask('PUT', '/projects/p1/environments/e1', {
      ...environment,
      targets: ['http://127.0.0.1:9'],
      credentials: credentials.slice(0, 1),
      variables: { key: 'sloe-4410' },
      secretVariables: ['key'],
    });
    await exported();
    expect(await project('check', at(''))).toMatchObject({
      status: 0,
      out: expect.stringContaining('nothing is wrong with its 3 written files') as string,
    });
    writeFileSync(join(folder, 'secrets.env'), 'THIS_MACHINE_PASSWORD_OF_KIM=quince-kim\n');
    const copied = await project('import', at(''), '--name', 'Copy', '--server', address, '--secrets', join(folder, 'secrets.env'));
    expect(copied.out).toMatch(
      /^“Copy” was imported: http:\S+\/projects\/p\w+\/board\nmissing secret THIS_MACHINE_VARIABLE_KEY: variable key \(This machine\)\n$/,
    );
    const id = /projects\/(p\w+)\//.exec(copied.out)?.[1] ?? '';
    const [take] = await ask<object[]>('GET', `/projects/${id}/takes`);
    expect(take).toMatchObject({ name: 'Look', exchangeCount: 1 });
    // Nothing begins there before its last secret is given.
    expect(await ask('POST', `/projects/${id}/takes/record`, { name: 'x' })).toMatchObject({ title: 'A secret is missing' });
    const script = at('scripts/Another-name.yaml');
    writeFileSync(script, readFileSync(script, 'utf8').replace('pause: 750', 'pause: soon'));
    expect(await project('check', at(''))).toMatchObject({
      status: 1,
      out: expect.stringMatching(/^scripts\/Another-name\.yaml:\d+:9: .*pause/) as string,
    });
    expect(await project('import', at(''), '--server', address)).toMatchObject({
      status: 2,
      error: expect.stringContaining('Nothing was imported.') as string,
    });
  });

  it('says what is not there: a project, a server, a folder', async () => {
    expect(await project('export', 'Nothing', at(''), '--server', address)).toMatchObject({
      status: 2,
      error: expect.stringContaining('It has: “Tidewell”, “Copy”.') as string,
    });
    expect((await project('export', 'Tidewell', at(''), '--server', 'http://127.0.0.1:4')).error).toContain('does not answer');
    expect((await project('import', folder, '--server', address)).error).toContain('has no project.yaml');
    expect((await project('check', join(folder, 'none'))).error).toContain('does not exist');
  });

  it('is one file where that is wished', async () => {
    const zip = join(folder, 'tidewell.zip');
    expect((await project('export', 'p1', zip, '--server', address)).out).toBe(`${zip} was written\n`);
    expect(await project('check', zip)).toMatchObject({ status: 0 });
  });
});
