// A place for real applications, tried by hand and not part of the tests: a MariaDB server and PHP's built-in web server on loopback,
// with all data in a temporary folder. Needs Debian's packages mariadb-server, php-cli, php-mysql, wordpress and adminer.
import { execFileSync, spawn } from 'node:child_process';
import { createRequire } from 'node:module';
import { chmodSync, existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const { chromium } = createRequire(new URL('../../packages/standins/package.json', import.meta.url))('playwright-core');
const sturdy = new URL('../../packages/cli/bin/sturdy.mjs', import.meta.url).pathname;

const wait = (ms) => new Promise((done) => setTimeout(done, ms));

/** Starts MariaDB on loopback with an empty database of its own. */
export async function startDatabase(folder, port) {
  const data = join(folder, 'mysql');
  rmSync(data, { recursive: true, force: true });
  mkdirSync(data, { recursive: true });
  chmodSync(folder, 0o777);
  execFileSync('mysql_install_db', [`--datadir=${data}`, '--user=root', '--auth-root-authentication-method=normal'], { stdio: 'ignore' });
  const socket = join(folder, 'mysql.sock');
  const server = spawn(
    'mysqld',
    [
      '--no-defaults',
      `--datadir=${data}`,
      `--socket=${socket}`,
      `--port=${port}`,
      '--bind-address=127.0.0.1',
      '--user=root',
      '--skip-log-bin',
    ],
    { stdio: 'ignore' },
  );
  for (let count = 0; count < 60 && !existsSync(socket); count++) await wait(250);
  await wait(500);
  const sql = (text, database = 'mysql') =>
    execFileSync('mysql', ['--no-defaults', `--socket=${socket}`, '-uroot', '-N', '-B', database, '-e', text], { encoding: 'utf8' }).trim();
  return { sql, port, stop: () => server.kill() };
}

/** Starts PHP's built-in server for a folder. */
export async function startPhp(folder, port, index) {
  const server = spawn('php', ['-d', 'display_errors=0', '-S', `127.0.0.1:${port}`, '-t', folder, ...(index ? [index] : [])], {
    stdio: 'ignore',
    env: { ...process.env, PHP_CLI_SERVER_WORKERS: '6' },
    detached: true,
  });
  await wait(1500);
  return { origin: `http://127.0.0.1:${port}`, stop: () => process.kill(-server.pid) };
}

/** Records what a robot does in Chromium as a HAR file with bodies, like a person with the developer tools open. */
export async function record(file, play) {
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  const context = await browser.newContext({
    viewport: { width: 1280, height: 900 },
    recordHar: { path: file, content: 'embed', mode: 'full' },
  });
  const page = await context.newPage();
  try {
    await play(page);
    await page.waitForTimeout(800);
  } finally {
    await context.close();
    await browser.close();
  }
}

/**
 * Correlates and rehearses, once with both takes and once with the first alone, and prints what the command line said and what
 * stands in the application's own database before and after.
 */
export function tryBoth(folder, takes, origin, look) {
  const file = (name) => join(folder, name);
  const run = (...args) => {
    try {
      return execFileSync(process.execPath, [sturdy, ...args], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });
    } catch (error) {
      return `${error.stdout ?? ''}${error.stderr ?? ''}exit status ${error.status}\n`;
    }
  };
  writeFileSync(file('env.yaml'), `targets: [${origin}]\n`);
  for (const used of [takes, takes.slice(0, 1)]) {
    const before = look();
    const script = file(`script-${used.length}.yaml`);
    const correlated = run('correlate', ...used, '--out', script, '--report', file(`correlation-${used.length}.json`));
    const rehearsed = run(
      'rehearse',
      script,
      '--environment',
      file('env.yaml'),
      '--take',
      used[0],
      '--repair',
      '--report',
      file(`rehearsal-${used.length}.json`),
    );
    process.stdout.write(
      `== ${used.length === 1 ? 'one take' : 'two takes'}\n${correlated}${rehearsed}before:\n${before}\nafter:\n${look()}\n\n`,
    );
  }
}

export { wait };
