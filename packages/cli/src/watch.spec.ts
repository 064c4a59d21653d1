import { existsSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Script } from '@sturdy/core';
import { runSturdy, startCommand, startSturdy, type StartedServer } from './test/sturdy-process.js';

let root: string;
let server: StartedServer;
let folder: string;
let script: Script;
const file = (path: string): string => join(folder, path);
const text = (path: string): string => readFileSync(file(path), 'utf8');
const edit = (path: string, from: string | RegExp, to: string): void => {
  writeFileSync(file(path), text(path).replace(from, to));
};
async function ask<T>(method: string, path: string, body?: object): Promise<T> {
  const answer = await fetch(`${server.origin}/api${path}`, {
    method,
    ...(body ? { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) } : {}),
  });
  if (!answer.ok) throw new Error(await answer.text());
  return (await answer.json()) as T;
}
/** Brings folder and project to the same state once. */
const sync = async (to = folder) => {
  const { status, out, error } = await runSturdy(['project', 'watch', 'Tidewell', to, '--once', '--server', server.origin]);
  return { status, lines: (out + error).trim().split('\n') };
};
const path = 'scripts/Look-at-the-desk.yaml';
const inProduct = () => ask<Script>('GET', `/scripts/${script.id}`);
const pauseOf = ({ transactions }: Script): number | undefined => {
  const [pause] = transactions.flatMap(({ steps }) => steps.flatMap((step) => (step.kind === 'pause' ? [step.ms] : [])));
  return pause;
};
/** Changes the pause in the product. */
const pauseInProduct = async (ms: number): Promise<void> => {
  const changed = await inProduct();
  for (const { steps } of changed.transactions) for (const step of steps) if (step.kind === 'pause') step.ms = ms;
  await ask('PUT', `/scripts/${script.id}`, changed);
};

beforeAll(async () => {
  root = mkdtempSync(join(tmpdir(), 'sturdy-watch-'));
  folder = join(root, 'tidewell');
  server = await startSturdy(['--data', join(root, 'data'), '--project', 'Tidewell']);
  const { take } = await ask<{ take: { id: string } }>('POST', '/projects/p1/takes/paste', {
    name: 'Look',
    text: "curl 'http://127.0.0.1:9/desk'",
  });
  script = await ask<Script>('POST', `/takes/${take.id}/script`, { name: 'Look at the desk' });
  script.transactions[0]?.steps.push({ kind: 'pause', id: 'p9', ms: 100 });
  await ask('PUT', `/scripts/${script.id}`, script);
}, 60_000);
afterAll(async () => {
  await server.stop();
  rmSync(root, { recursive: true, force: true });
});

describe('a folder and a project that are kept equal', () => {
  it('begin with the whole project in the folder, and nothing to do after that', async () => {
    const first = await sync();
    expect(first.status).toBe(0);
    expect(first.lines).toEqual(expect.arrayContaining(['fetched project.yaml', `fetched ${path}`, 'fetched takes/Look.har']));
    expect(await sync()).toMatchObject({ status: 0, lines: [expect.stringMatching(/and “Tidewell” are equal$/)] });
    // It is the very folder that an export makes, so it can be checked and imported.
    expect((await runSturdy(['project', 'check', folder])).status).toBe(0);
  });

  it('take what changed on one side to the other', async () => {
    edit(path, 'pause: 100', 'pause: 200');
    expect((await sync()).lines[0]).toBe(`sent ${path}`);
    expect(pauseOf(await inProduct())).toBe(200);
    await pauseInProduct(300);
    expect((await sync()).lines[0]).toBe(`fetched ${path}`);
    expect(text(path)).toContain('pause: 300');
  });

  it('leave a comment in the folder, and still know the file as the same without it', async () => {
    writeFileSync(file(path), `# mine\n${text(path)}`);
    expect((await sync()).lines[0]).toBe(`sent ${path}`);
    expect(text(path)).toContain('# mine');
    edit(path, '# mine\n', '');
    expect((await sync()).status).toBe(0);
    await pauseInProduct(301);
    expect((await sync()).lines[0]).toBe(`fetched ${path}`);
    edit(path, 'pause: 301', 'pause: 300');
    expect((await sync()).status).toBe(0);
  });

  it('say what is wrong with a text, once, and keep both as they are', async () => {
    edit(path, 'pause: 300', 'pause: soon');
    const refused = await sync();
    expect(refused).toMatchObject({ status: 1, lines: [expect.stringMatching(/^not sent scripts\/.*\.yaml\. /), expect.anything()] });
    expect(refused.lines[0]).toMatch(/scripts\/Look-at-the-desk\.yaml:\d+:\d+: transactions/);
    expect(pauseOf(await inProduct())).toBe(300);
    expect(text(path)).toContain('pause: soon');
    edit(path, 'pause: soon', 'pause: 300');
    expect((await sync()).status).toBe(0);
  });

  it('show a conflict, overwrite nothing, and leave it to whoever watches: mine', async () => {
    edit(path, 'pause: 300', 'pause: 41');
    await pauseInProduct(42);
    const conflict = await sync();
    expect(conflict).toMatchObject({
      status: 1,
      lines: [expect.stringMatching(/^conflict scripts\/Look-at-the-desk\.yaml: changed here and in the product/), expect.anything()],
    });
    const copy = 'scripts/Look-at-the-desk.in-product.yaml';
    expect([text(path).includes('pause: 41'), text(copy).includes('pause: 42'), pauseOf(await inProduct())]).toEqual([true, true, 42]);
    expect((await sync()).status).toBe(1);
    rmSync(file(copy));
    expect((await sync()).lines[0]).toBe(`sent ${path}`);
    expect(pauseOf(await inProduct())).toBe(41);
    // What was in the product is one of its versions.
    const versions = await ask<{ what: string }[]>('GET', `/scripts/${script.id}/versions`);
    expect(versions[0]?.what).toMatch(/^Changed in its file/);
  });

  it('or that of the product', async () => {
    edit(path, 'pause: 41', 'pause: 51');
    await pauseInProduct(52);
    expect((await sync()).status).toBe(1);
    renameSync(file('scripts/Look-at-the-desk.in-product.yaml'), file(path));
    expect((await sync()).status).toBe(0);
    expect([pauseOf(await inProduct()), text(path).includes('pause: 52')]).toEqual([52, true]);
  });

  it('lose nothing where a file goes on one side', async () => {
    rmSync(file(path));
    expect(await sync()).toMatchObject({
      status: 1,
      lines: [expect.stringContaining('is not in the folder any more, and stays in the product'), expect.anything()],
    });
    expect(pauseOf(await inProduct())).toBe(52);
    await pauseInProduct(60);
    expect((await sync()).lines[0]).toBe(`fetched ${path}`);
    writeFileSync(file('scripts/Mine.yaml'), text(path));
    expect((await sync()).lines[0]).toMatch(/^scripts\/Mine\.yaml is not in the project/);
    rmSync(file('scripts/Mine.yaml'));
    writeFileSync(file('takes/Look.har'), '{}');
    expect((await sync()).lines[0]).toMatch(/^takes\/Look\.har was changed here, and only the product can change it/);
    rmSync(file('takes/Look.har'));
    writeFileSync(file('notes.txt'), 'mine');
    const table = await ask<{ id: string }>('POST', '/projects/p1/tables/generate', {
      name: 'lots',
      count: 2,
      seed: '1',
      columns: [{ kind: 'sequence', name: 'lot', start: 1, step: 1, width: 3 }],
    });
    await sync();
    expect(text('tables/lots.csv')).toContain('001');
    await fetch(`${server.origin}/api/tables/${table.id}`, { method: 'DELETE' });
    const after = await sync();
    expect(after.lines).toEqual(expect.arrayContaining(['removed tables/lots.csv', 'removed tables/lots.yaml']));
    expect([existsSync(file('tables/lots.csv')), text('notes.txt')]).toEqual([false, 'mine']);
  });

  it('are known by the folder: another project, or what is no project, is refused', async () => {
    await ask('POST', '/projects', { name: 'Other' });
    const other = await runSturdy(['project', 'watch', 'Other', folder, '--once', '--server', server.origin]);
    expect(other).toMatchObject({ status: 2, error: expect.stringContaining('is kept equal to another project (p1 of') as string });
    expect(await runSturdy(['project', 'watch', 'Nobody', folder, '--once', '--server', server.origin])).toMatchObject({ status: 2 });
    expect(await runSturdy(['project', 'watch', 'Tidewell', folder, '--every', 'often', '--server', server.origin])).toMatchObject({
      status: 2,
      error: expect.stringContaining('Write seconds') as string,
    });
  });

  it('are watched while both are worked on, over an end of the server too', async () => {
    const watch = startCommand(['project', 'watch', 'Tidewell', folder, '--every', '0.3', '--server', server.origin]);
    // A take that was deleted in the folder is left to whoever watches.
    await watch.says('1 file is not equal');
    edit(path, /pause: \d+/, 'pause: 71');
    await watch.says(`sent ${path}`);
    expect(pauseOf(await inProduct())).toBe(71);
    await pauseInProduct(72);
    await watch.says(`fetched ${path}`);
    expect(text(path)).toContain('pause: 72');
    const port = new URL(server.origin).port;
    await server.stop();
    await watch.says('does not answer');
    server = await startSturdy(['--data', join(root, 'data'), '--port', port]);
    await watch.says('The server answers again');
    watch.end();
  }, 60_000);
});
