// A long run at modest load: does the memory of the server and of its generators stay flat? Bounded by its curve.
// usage: node bench/soak.mjs [minutes, 10 where none are given]
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startYard } from '../packages/standins/dist/index.js';

const minutes = Math.min(600, Number(process.argv[2] ?? 10));
const users = 40;
const port = 4470;
const api = `http://127.0.0.1:${port}/api`;
const data = mkdtempSync(join(tmpdir(), 'sturdy-soak-'));
const yard = await startYard({ port: 0 });
const server = spawn(
  process.execPath,
  [
    'packages/cli/bin/sturdy.mjs',
    'serve',
    '--port',
    String(port),
    '--proxy-port',
    String(port + 1),
    '--data',
    data,
    '--target',
    yard.origin,
  ],
  { stdio: ['ignore', 'pipe', 'ignore'] },
);
await new Promise((ready) => server.stdout.on('data', (said) => said.includes('is ready') && ready()));

const ask = async (method, path, body, type = 'application/json') => {
  const answer = await fetch(api + path, {
    method,
    headers: { 'Content-Type': type },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  const told = await answer.json();
  if (!answer.ok) throw new Error(told.detail);
  return told;
};

/** Pages that open a visit and look around; each iteration is a new visitor. */
const entry = (path, n) => ({
  startedDateTime: new Date(Date.UTC(2026, 10, 23, 10, 0, n)).toISOString(),
  time: 5,
  request: { method: 'GET', url: yard.origin + path, httpVersion: 'HTTP/1.1', headers: [] },
  response: { status: 200, httpVersion: 'HTTP/1.1', headers: [{ name: 'Content-Type', value: 'text/html' }], content: { text: 'x' } },
});
const { take } = await ask(
  'POST',
  '/projects/p1/takes/import?name=Soak',
  JSON.stringify({ log: { version: '1.2', entries: ['/', '/sign-in', '/goodbye'].map(entry) } }),
  'application/octet-stream',
);
const script = await ask('POST', `/takes/${take.id}/script`, { name: 'Look around' });
const workload = await ask('POST', '/projects/p1/workloads', {
  name: 'Soak',
  generators: 2,
  seed: 'soak',
  criteria: [],
  crews: [
    {
      id: 'c1',
      name: 'Visitors',
      scriptId: script.id,
      users,
      think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
      pacing: { kind: 'start-to-start', seconds: 2 },
      onFailure: 'next-iteration',
    },
  ],
  curve: { rampUpSeconds: 10, holdSeconds: minutes * 60, rampDownSeconds: 0, atEnd: 'iteration' },
});
const run = await ask('POST', `/workloads/${workload.id}/run`);
const memoryMb = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;

const points = [];
const started = performance.now();
while (performance.now() - started < (10 + minutes * 60) * 1000) {
  await new Promise((go) => setTimeout(go, 5000));
  points.push({ minute: (performance.now() - started) / 60_000, mb: memoryMb() });
}
let result;
do {
  await new Promise((go) => setTimeout(go, 2000));
  result = await ask('GET', `/runs/${run.id}`);
} while (result.run.state !== 'done');
server.kill('SIGTERM');
await new Promise((gone) => server.once('exit', gone));
await yard.stop();
rmSync(data, { recursive: true, force: true });

/** Slope of the least-squares line, MiB a minute. */
const slopeOf = (own) => {
  const mean = (values) => values.reduce((sum, one) => sum + one, 0) / values.length;
  const [x, y] = [mean(own.map((one) => one.minute)), mean(own.map((one) => one.mb))];
  return own.reduce((sum, one) => sum + (one.minute - x) * (one.mb - y), 0) / own.reduce((sum, one) => sum + (one.minute - x) ** 2, 0);
};
const half = points.slice(Math.floor(points.length / 2));
const at = (share) => points[Math.min(points.length - 1, Math.floor(share * points.length))].mb.toFixed(0);
process.stdout.write(
  `Soak of ${minutes} min, ${users} users, ${result.iterationsPassed.toLocaleString('en')} iterations passed, ${result.iterationsFailed} failed
  memory of the server with its two generators: ${at(0.1)} MiB after a tenth, ${at(0.5)} after half, ${at(1)} at the end
  slope over the second half: ${slopeOf(half).toFixed(2)} MiB a minute
`,
);
