import { readdirSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { machineFigures, thisMachine, type Watch } from '@sturdy/core';
import { onlyHere } from '../test/reach.js';
import { askHost, HostReader, HostWatcher } from './host-reader.js';

let server: Server;
let origin: string;
let answer: { status: number; text: string; location?: string };
beforeAll(async () => {
  server = createServer((_request, response) => {
    response.writeHead(answer.status, answer.location === undefined ? {} : { Location: answer.location }).end(answer.text);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => server.close());

const watch = (more: Partial<Extract<Watch, { kind: 'open-metrics' }>> = {}): Watch => ({
  id: 'w',
  name: 'Yard',
  kind: 'open-metrics',
  url: `${origin}/metrics`,
  everySeconds: 1,
  shown: [{ id: 'served', metric: 'served_total', labels: {}, name: 'served', unit: '/s', as: 'rate', scale: 1 }],
  ...more,
});
const shows = (served: number) => (answer = { status: 200, text: `# TYPE served counter\nserved_total ${served}\n# EOF\n` });

/** Helper processes of this one. */
const helpers = (): string[] =>
  readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .filter((name) => {
      try {
        // Z is one that has ended (proc(5)); a busy machine may have it at work, or waiting for a disk.
        const isChild = new RegExp(`\\) [^ZX] ${process.pid} `).test(readFileSync(`/proc/${name}/stat`, 'utf8'));
        return isChild && readFileSync(`/proc/${name}/cmdline`, 'utf8').includes('machine-figures.process');
      } catch {
        // It ended while this looked.
        return false;
      }
    });

describe('reading hosts', () => {
  // What other suites have started in this process is none of this one.
  const earlier = helpers();

  it('reads rates between two readings, and says what is wrong where there is none', async () => {
    const reader = new HostReader();
    shows(100);
    expect(await reader.read(watch(), onlyHere)).toEqual({ values: { served: null }, problem: null });
    await new Promise((done) => setTimeout(done, 200));
    shows(120);
    const { values } = await reader.read(watch(), onlyHere);
    // 20 within 200 ms or a little more.
    expect(values['served']).toBeGreaterThan(10);
    expect(values['served']).toBeLessThanOrEqual(101);
    answer = { status: 500, text: '' };
    expect((await reader.read(watch(), onlyHere)).problem).toMatch(/It answered 500/);
    shows(999);
    // What a counter grew by within a gap belongs to no second.
    expect((await reader.read(watch(), onlyHere)).values).toEqual({ served: null });
  });

  it('asks this machine alone where nothing is cleared, follows nobody away, and tells what is no exposition', async () => {
    await expect(askHost('http://192.0.2.1/metrics', onlyHere)).rejects.toThrow('is not a target of the environment “Here”');
    answer = { status: 302, text: '', location: 'http://192.0.2.1/metrics' };
    await expect(askHost(origin, onlyHere)).rejects.toThrow('It answered 302');
    answer = { status: 200, text: '<html>Hello</html>' };
    await expect(askHost(origin, onlyHere)).rejects.toThrow('not with OpenMetrics text: “<html>Hello</html>” is no sample.');
    await expect(askHost('http://127.0.0.1:1/metrics', onlyHere)).rejects.toThrow('did not give its figures');
  });

  it('reads this machine, each figure or none', async () => {
    const { values, problem } = await new HostReader().read(thisMachine, onlyHere);
    expect(problem).toBeNull();
    expect(Object.keys(values).sort()).toEqual(machineFigures.map(({ id }) => id).sort());
    expect(values['memory']).toBeGreaterThan(0);
    expect(values['memory']).toBeLessThan(100);
  });

  it('reads this machine in one helper process for all who ask, and starts another where that one was ended', async () => {
    const problems = async () =>
      (await Promise.all([1, 2, 3].map(() => new HostReader().read(thisMachine, onlyHere)))).map(({ problem }) => problem);
    expect(await problems()).toEqual([null, null, null]);
    const ownHelpers = () => helpers().filter((helper) => !earlier.includes(helper));
    const [helper, ...others] = ownHelpers();
    expect(others).toEqual([]);
    process.kill(Number(helper), 'SIGKILL');
    while (ownHelpers().includes(helper ?? '')) await new Promise((done) => setTimeout(done, 10));
    expect(await problems()).toEqual([null, null, null]);
    expect(ownHelpers()).toHaveLength(1);
    expect(ownHelpers()).not.toContain(helper);
  });

  it('watches on its interval until it is ended', async () => {
    shows(1);
    const seconds: number[] = [];
    const watcher = new HostWatcher([watch()], onlyHere, performance.now(), ({ second }) => seconds.push(second));
    await new Promise((done) => setTimeout(done, 2500));
    watcher.end();
    const count = seconds.length;
    expect(seconds.slice(0, 3)).toEqual([0, 1, 2]);
    await new Promise((done) => setTimeout(done, 1200));
    expect(seconds).toHaveLength(count);
  });

  it('counts its seconds from the start of the run, and shows nothing of before', async () => {
    shows(1);
    const seconds: number[] = [];
    const watcher = new HostWatcher([watch()], onlyHere, performance.now() + 1500, ({ second }) => seconds.push(second));
    await new Promise((done) => setTimeout(done, 2800));
    watcher.end();
    expect(seconds[0]).toBe(0);
  });
});
