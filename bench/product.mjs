// The product as the benches start it: served on data of its own, asked through its API, with a workload of plain pages.
import { spawn } from 'node:child_process';

/** Starts the product on a folder of data and resolves once it is ready; with arguments of Node.js and an environment of its own where that is wanted. */
export async function serve(port, data, target, { nodeArguments = [], env = process.env } = {}) {
  const given = { port, 'proxy-port': port + 1, data, target };
  const product = spawn(
    process.execPath,
    [
      ...nodeArguments,
      'packages/cli/bin/sturdy.mjs',
      'serve',
      ...Object.entries(given).flatMap(([name, value]) => [`--${name}`, String(value)]),
    ],
    { stdio: ['ignore', 'pipe', process.env.SHOW_PRODUCT ? 'inherit' : 'ignore'], env },
  );
  await new Promise((ready) => product.stdout.on('data', (said) => said.includes('is ready') && ready()));
  return {
    pid: product.pid,
    stop: async () => {
      product.kill('SIGTERM');
      await new Promise((gone) => product.once('exit', gone));
    },
  };
}

/** Asks the API; throws what it says where it refuses. */
export const asking = (port) => async (method, path, body) => {
  const answer = await fetch(`http://127.0.0.1:${port}/api${path}`, {
    method,
    headers: { 'Content-Type': typeof body === 'string' ? 'application/octet-stream' : 'application/json' },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  const told = await answer.json();
  if (!answer.ok) throw new Error(told.detail);
  return told;
};

/** A workload of one crew that asks for some pages, each iteration as a new visitor. */
export async function workloadOf(ask, origin, paths, { users, everySeconds, curve }) {
  const entries = paths.map((path, n) => ({
    startedDateTime: new Date(Date.UTC(2026, 10, 23, 10, 0, n)).toISOString(),
    time: 5,
    request: { method: 'GET', url: origin + path, httpVersion: 'HTTP/1.1', headers: [] },
    response: { status: 200, httpVersion: 'HTTP/1.1', headers: [{ name: 'Content-Type', value: 'text/html' }], content: { text: 'x' } },
  }));
  const { take } = await ask('POST', '/projects/p1/takes/import?name=Pages', JSON.stringify({ log: { version: '1.2', entries } }));
  const script = await ask('POST', `/takes/${take.id}/script`, { name: 'Pages' });
  return ask('POST', '/projects/p1/workloads', {
    name: 'Visitors',
    generators: 2,
    seed: '1',
    criteria: [],
    crews: [
      {
        id: 'c1',
        name: 'Visitors',
        scriptId: script.id,
        users,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing: { kind: 'start-to-start', seconds: everySeconds },
        onFailure: 'next-iteration',
      },
    ],
    curve: { rampDownSeconds: 0, atEnd: 'iteration', ...curve },
  });
}
