// npm run demo: installs what is missing, builds, starts the product and Tidewell Yard with demo data, prints the address.
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { planDemo } from './demo-schedule.mjs';
import { newDataCentre } from './demo-target.mjs';
import { build, chromiumPath, installDebian, installPackages, root } from './setup.mjs';

await Promise.all([installDebian([[chromiumPath, 'chromium']]), installPackages()]);
await build();

const { startPostProgram, startProduct, startYardProgram } = await import('./processes.mjs');
const yardOrigin = 'http://127.0.0.1:4701';
const product = 'http://127.0.0.1:4300';
const smtpPort = 4725;
const postOrigin = 'http://127.0.0.1:4704';

const started = [];
const stop = () => {
  for (const program of started) program.kill('SIGTERM');
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);

try {
  started.push(await startYardProgram(4701));
  started.push(await startPostProgram(smtpPort, 4704));
  started.push(
    await startProduct({
      port: 4300,
      proxyPort: 4310,
      data: join(root, '.sturdy', 'demo'),
      targets: [yardOrigin],
      project: 'Record your own',
    }),
  );
} catch (error) {
  process.stderr.write(`The demo could not start. ${error.message}\n`);
  stop();
  process.exit(1);
}

async function askProject(project, method, path, body) {
  const answer = await fetch(`${product}/api/projects/${project}${path}`, {
    method,
    headers: { 'Content-Type': 'application/json', 'X-Sturdy-Person': 'Mara' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const result = await answer.json();
  if (!answer.ok) throw new Error(result.detail);
  return result;
}

/** Shows what a cleared target looks like. */
async function clearNewDataCentre(project) {
  const environments = await (await fetch(`${product}/api/projects/${project}/environments`)).json();
  const { id } = environments.find(({ targets }) => targets.includes(newDataCentre));
  const answer = await fetch(`${product}/api/projects/${project}/environments/${id}/clearances`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'X-Sturdy-Person': 'Mara' },
    body: JSON.stringify({
      origin: newDataCentre,
      by: 'Mara Lind',
      for: 'Trial of the new data centre',
      until: new Date(Date.now() + 30 * 86_400_000).toISOString().slice(0, 10),
      requestsPerSecond: 20,
      users: 10,
    }),
  });
  if (!answer.ok) process.stderr.write(`The target of the new data centre was not cleared. ${(await answer.json()).detail}\n`);
}

// The first start brings a whole project along: takes, scripts that replay, data, workloads and their runs. `npm run demo:make` makes it anew.
const demoProject = 'Tidewell release 4.2';
const projects = await (await fetch(`${product}/api/projects`)).json();
let demo = projects.find(({ name, state }) => name === demoProject && state === 'active');
if (!demo && projects.length === 1) {
  const answer = await fetch(`${product}/api/projects/import?${new URLSearchParams({ name: demoProject })}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/zip' },
    body: await readFile(join(root, 'demo', 'tidewell.zip')),
  });
  const imported = await answer.json();
  if (!answer.ok) process.stderr.write(`The demo project could not be imported. ${imported.detail}\n`);
  else {
    demo = imported.project;
    await clearNewDataCentre(demo.id);
    await planDemo((method, path, body) => askProject(demo.id, method, path, body), { smtpPort, postOrigin }).catch((error) => {
      process.stderr.write(`The demo has no schedule. ${error.message}\n`);
    });
  }
}
const place = demo ? `/projects/${demo.id}/board` : '';

process.stdout.write(`
Sturdy Puppet            ${product}${place}
Tidewell Yard            ${yardOrigin}          (sign in as mara, password mara-pass)
  what it really holds   ${yardOrigin}/truth
  its figures            ${yardOrigin}/metrics
Tidewell Post            ${postOrigin}          (collects the mail and the webhooks of schedules)
“Record your own” is an empty project beside it. A user that books by itself in it, in another terminal:
node scripts/robot.mjs --take "Take 1"
Stop with Ctrl C.
`);
