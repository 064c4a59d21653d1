// npm run demo: installs what is missing, builds, starts the product and Tidewell Yard with demo data, prints the address.
import { join } from 'node:path';
import { build, chromiumPath, installDebian, installPackages, root, run } from './setup.mjs';

const [hasBrowser] = await Promise.all([installDebian([[chromiumPath, 'chromium']]), installPackages()]);
await build();

const { startProduct, startYardProgram } = await import('./processes.mjs');
const yardOrigin = 'http://127.0.0.1:4701';
const product = 'http://127.0.0.1:4300';

const started = [];
const stop = () => {
  for (const program of started) program.kill('SIGTERM');
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);

try {
  started.push(await startYardProgram(4701));
  started.push(await startProduct({ port: 4300, proxyPort: 4310, data: join(root, '.sturdy', 'demo'), targets: [yardOrigin] }));
} catch (error) {
  process.stderr.write(`The demo could not start. ${error.message}\n`);
  stop();
  process.exit(1);
}

const takes = await (await fetch(`${product}/api/projects/p1/takes`)).json();
if (takes.length === 0 && hasBrowser) {
  process.stdout.write('A scripted user records two takes of Tidewell Yard…\n');
  run(process.execPath, ['scripts/robot.mjs', '--take', 'Take 1']);
  run(process.execPath, ['scripts/robot.mjs', '--take', 'Take 2', '--bay', '2']);
}

// Yard gives its figures out, so the first run shows what its workers did.
const json = { 'Content-Type': 'application/json' };
const settings = await (await fetch(`${product}/api/projects/p1/settings`)).json();
if (!settings.watches.some((one) => one.kind === 'open-metrics')) {
  const url = `${yardOrigin}/metrics`;
  const { offered } = await (
    await fetch(`${product}/api/projects/p1/hosts/ask`, { method: 'POST', headers: json, body: JSON.stringify({ url }) })
  ).json();
  const watch = { id: 'yard', name: 'Tidewell Yard', kind: 'open-metrics', url, everySeconds: 2, shown: offered };
  const body = JSON.stringify({ ...settings, watches: [...settings.watches, watch] });
  await fetch(`${product}/api/projects/p1/settings`, { method: 'PUT', headers: json, body });
}

process.stdout.write(`
Sturdy Puppet            ${product}
Tidewell Yard            ${yardOrigin}          (sign in as mara, password mara-pass)
  what it really holds   ${yardOrigin}/truth
  its figures            ${yardOrigin}/metrics
A user that books by itself, in another terminal: node scripts/robot.mjs --take "Take 3"
Stop with Ctrl C.
`);
