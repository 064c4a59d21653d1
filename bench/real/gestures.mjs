// Takes with gestures of a real application: recorded once in the clean browser of the product, the second one made by itself.
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';
import { startProduct } from '../../scripts/processes.mjs';
import { wait } from './stage.mjs';

const port = 4380;
const browserPort = 4388;

/**
 * Records what `flow` does in the clean browser, has the second take made, and writes both as HAR files. Gives what the product said of the second take;
 * `file` is null where there is none.
 */
export async function takesWithGestures({ folder, origins, flow }) {
  const data = mkdtempSync(join(tmpdir(), 'sturdy-gestures-'));
  process.env['STURDY_BROWSER_ARGUMENTS'] = `--headless --remote-debugging-port=${browserPort}`;
  const program = await startProduct({ port, proxyPort: port + 1, data, targets: origins });
  delete process.env['STURDY_BROWSER_ARGUMENTS'];
  const ask = async (method, path, body) => {
    const answer = await fetch(`http://127.0.0.1:${port}/api${path}`, {
      method,
      headers: { 'Content-Type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const result = await answer.json();
    if (!answer.ok) throw new Error(`${method} ${path}: ${result.detail ?? answer.status}`);
    return result;
  };
  const save = async (id, name) => {
    const har = await fetch(`http://127.0.0.1:${port}/api/takes/${id}/har?secrets=shown`);
    writeFileSync(join(folder, name), Buffer.from(await har.arrayBuffer()));
    return name;
  };
  try {
    const [{ id: project }] = await ask('GET', '/projects');
    const { take } = await ask('POST', `/projects/${project}/takes/record`, { name: 'Gestures', forNetwork: false });
    await ask('POST', '/takes/record/browser', { address: origins[0] });
    const page = await cleanPage();
    page.setDefaultTimeout(20_000);
    // A person goes on once the first page is there.
    await wait(2500);
    page.on('dialog', (dialog) => void dialog.accept());
    // An address that a program opens is told from one that a person types, so the robot opens it as a person does.
    const session = await page.context().newCDPSession(page);
    page.goto = async (url) => {
      await session.send('Page.navigate', { url, transitionType: 'typed' });
      await page.waitForLoadState('load');
      await wait(300);
      return null;
    };
    await flow(page);
    await wait(1500);
    await ask('POST', '/takes/record/stop');
    const first = await save(take.id, 'gestures-1.har');
    const { take: recorded } = await ask('GET', `/takes/${take.id}`);
    writeFileSync(join(folder, 'gestures.json'), JSON.stringify(recorded.gestures ?? [], null, 1));
    const from = performance.now();
    const made = await ask('POST', `/takes/${take.id}/second`, {});
    writeFileSync(join(folder, 'second.json'), JSON.stringify({ ...made, take: made.take?.id ?? null }, null, 1));
    const second = made.take && made.failure === null ? await save(made.take.id, 'gestures-2.har') : null;
    return { first, second, made, seconds: (performance.now() - from) / 1000 };
  } finally {
    program.kill('SIGTERM');
    await new Promise((done) => program.once('exit', done));
    rmSync(data, { recursive: true, force: true });
  }
}

async function cleanPage() {
  for (let tries = 0; ; tries++) {
    const browser = await chromium.connectOverCDP(`http://127.0.0.1:${browserPort}`).catch(() => null);
    const page = browser?.contexts()[0]?.pages()[0];
    if (page) return page;
    if (tries > 60) throw new Error('The clean browser cannot be reached.');
    await wait(250);
  }
}
