// A long run at modest load: does the memory of the server and of its generators stay flat? Bounded by its curve.
// usage: node bench/soak.mjs [minutes, 10 where none are given]
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startYard } from '../packages/standins/dist/index.js';
import { asking, serve, workloadOf } from './product.mjs';

const minutes = Math.min(600, Number(process.argv[2] ?? 10));
const users = 40;
const port = 4470;
const data = mkdtempSync(join(tmpdir(), 'sturdy-soak-'));
const yard = await startYard({ port: 0 });
const server = await serve(port, data, yard.origin);
const ask = asking(port);
const workload = await workloadOf(ask, yard.origin, ['/', '/sign-in', '/goodbye'], {
  users,
  everySeconds: 2,
  curve: { rampUpSeconds: 10, holdSeconds: minutes * 60 },
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
await server.stop();
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
