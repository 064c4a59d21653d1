// Where real applications are tried: processes, databases and PHP on loopback with all data in a folder of their own, and a robot that
// records what it does in Chromium. Nothing here is part of the tests.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { createRequire } from 'node:module';
import { chmodSync, existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { homedir, tmpdir } from 'node:os';
import { join } from 'node:path';

const standins = new URL('../../packages/standins/', import.meta.url);
const { chromium } = createRequire(new URL('package.json', standins))('playwright-core');
const { quietChromium } = await import(new URL('dist/index.js', standins).href);

export const wait = (ms) => new Promise((done) => setTimeout(done, ms));

/** Installs what is missing of Debian's packages; their services are not started. */
export function installDebian(packages) {
  const missing = packages.filter((one) => {
    try {
      return !execFileSync('dpkg-query', ['-W', '-f=${Status}', one], { encoding: 'utf8', stdio: 'pipe' }).includes('install ok installed');
    } catch {
      return true;
    }
  });
  if (missing.length === 0) return;
  process.stderr.write(`Installing ${missing.join(', ')}…\n`);
  execFileSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' },
  });
}

/** Installs packages of the npm registry into a folder that is kept from one trial to the next; gives the folder. */
export function installNpm(name, packages) {
  const folder = join(homedir(), '.cache', 'sturdy-real', name);
  mkdirSync(folder, { recursive: true });
  const wanted = packages.map((one) => one.replace(/(?<=.)@[^@/]*$/, ''));
  if (!wanted.every((one) => existsSync(join(folder, 'node_modules', one)))) {
    process.stderr.write(`Installing ${packages.join(', ')}…\n`);
    execFileSync('npm', ['init', '-y'], { cwd: folder, stdio: 'ignore' });
    execFileSync('npm', ['install', '--no-audit', '--no-fund', ...packages], {
      cwd: folder,
      stdio: ['ignore', 'ignore', 'inherit'],
    });
  }
  return folder;
}

/** Starts a program of an application; it ends with `stop`, with everything that it started. */
export function startProgram(command, args, options = {}) {
  const { log, ...rest } = options;
  const program = spawn(command, args, { stdio: ['ignore', log ?? 'ignore', log ?? 'ignore'], detached: true, ...rest });
  return {
    pid: program.pid,
    stop: () => {
      try {
        process.kill(-program.pid);
      } catch {
        // It has ended by itself.
      }
    },
  };
}

/** Resolves once an address answers; throws after a minute and a half. */
export async function answers(url, good = () => true) {
  for (let count = 0; count < 180; count++) {
    const response = await fetch(url, { redirect: 'manual' }).catch(() => null);
    if (response && good(response.status)) return;
    await wait(500);
  }
  throw new Error(`${url} does not answer.`);
}

/** Starts MariaDB on loopback with an empty database of its own. */
export async function startDatabase(folder, port) {
  const data = join(folder, 'mysql');
  mkdirSync(data, { recursive: true });
  chmodSync(folder, 0o777);
  execFileSync('mysql_install_db', [`--datadir=${data}`, '--user=root', '--auth-root-authentication-method=normal'], { stdio: 'ignore' });
  const socket = join(folder, 'mysql.sock');
  const server = startProgram('mysqld', [
    '--no-defaults',
    `--datadir=${data}`,
    `--socket=${socket}`,
    `--port=${port}`,
    '--bind-address=127.0.0.1',
    '--user=root',
    '--skip-log-bin',
  ]);
  for (let count = 0; count < 60 && !existsSync(socket); count++) await wait(250);
  await wait(500);
  const sql = (text, database = 'mysql') =>
    execFileSync('mysql', ['--no-defaults', `--socket=${socket}`, '-uroot', '-N', '-B', database, '-e', text], { encoding: 'utf8' }).trim();
  return { sql, port, stop: server.stop };
}

const postgresTools = '/usr/lib/postgresql/15/bin';

/** Starts PostgreSQL on loopback with an empty database `app` of its own. */
export async function startPostgres(folder, port) {
  const data = join(folder, 'postgres');
  mkdirSync(data, { recursive: true });
  chmodSync(folder, 0o777);
  execFileSync('chown', ['postgres', data]);
  const asPostgres = (command, args, options = {}) =>
    execFileSync('runuser', ['-u', 'postgres', '--', command, ...args], { encoding: 'utf8', cwd: '/', ...options });
  asPostgres(`${postgresTools}/initdb`, ['-D', data, '-A', 'trust', '-E', 'UTF8'], { stdio: 'ignore' });
  const server = startProgram(
    'runuser',
    ['-u', 'postgres', '--', `${postgresTools}/postgres`, '-D', data, '-p', String(port), '-c', 'listen_addresses=127.0.0.1', '-k', data],
    { cwd: '/' },
  );
  const sql = (text, database = 'app') =>
    asPostgres('psql', ['-h', '127.0.0.1', '-p', String(port), '-At', '-F', ' | ', '-c', text, database], { stdio: 'pipe' }).trim();
  for (let count = 0; count < 60; count++) {
    try {
      sql('select 1', 'postgres');
      break;
    } catch {
      await wait(250);
    }
  }
  sql('create database app', 'postgres');
  return { sql, port, stop: server.stop };
}

/** Starts PHP's built-in server for a folder, as the user of web servers, who owns the folder from then on. */
export async function startPhp(folder, port, { router, settings = {}, env = {}, owns = [folder] } = {}) {
  const all = { display_errors: '0', ...settings };
  if (owns.length > 0) execFileSync('chown', ['-R', 'www-data', ...owns]);
  const server = startProgram(
    'runuser',
    [
      '-u',
      'www-data',
      '--',
      'php',
      ...Object.entries(all).flatMap(([name, value]) => ['-d', `${name}=${value}`]),
      '-S',
      `127.0.0.1:${port}`,
      '-t',
      folder,
      ...(router ? [router] : []),
    ],
    { env: { ...process.env, PHP_CLI_SERVER_WORKERS: '6', ...env }, cwd: folder },
  );
  const origin = `http://127.0.0.1:${port}`;
  await answers(origin);
  return { origin, stop: server.stop };
}

const saidInDialogs = new WeakMap();

/** What the robot answers where a page asks by a dialog of the browser; without it, it agrees. */
export const sayInDialogs = (page, text) => saidInDialogs.set(page, text);

/**
 * Lets a robot act in Chromium; what it does is recorded as a HAR file with bodies, as by a person with the developer tools open, where
 * a file is named.
 */
export async function inBrowser(play, file) {
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--headless', ...quietChromium] });
  const context = await browser.newContext({
    viewport: { width: 1280, height: 900 },
    ignoreHTTPSErrors: true,
    ...(file ? { recordHar: { path: file, content: 'embed', mode: 'full' } } : {}),
  });
  const page = await context.newPage();
  page.setDefaultTimeout(20_000);
  page.on('dialog', (dialog) => void dialog.accept(dialog.type() === 'prompt' ? saidInDialogs.get(page) : undefined));
  try {
    await play(page);
    await page.waitForTimeout(800);
  } catch (error) {
    await page.screenshot({ path: `${file ?? join(tmpdir(), 'sturdy-real', 'prepared')}.png` }).catch(() => undefined);
    throw error;
  } finally {
    await context.close();
    await browser.close();
  }
}

/** Copies an application with what its links lead to; links that lead nowhere are left out. */
export function copySite(from, to) {
  spawnSync('cp', ['-rL', from, to], { stdio: 'ignore' });
}

/** An empty folder for the data of an application. */
export function emptyFolder(path) {
  rmSync(path, { recursive: true, force: true });
  mkdirSync(path, { recursive: true });
  return path;
}

/** Starts an LDAP directory on loopback with a tree of its own: `dc=quay,dc=example`, whose manager is `cn=admin`. */
export async function startDirectory(folder, port, entries = '') {
  const data = join(folder, 'directory');
  mkdirSync(data, { recursive: true });
  const config = join(folder, 'slapd.conf');
  writeFileSync(
    config,
    `${['core', 'cosine', 'inetorgperson', 'nis'].map((one) => `include /etc/ldap/schema/${one}.schema`).join('\n')}
pidfile ${folder}/slapd.pid
modulepath /usr/lib/ldap
moduleload back_mdb
database mdb
suffix "dc=quay,dc=example"
rootdn "cn=admin,dc=quay,dc=example"
rootpw tulip-42
directory ${data}
`,
  );
  const tree = `dn: dc=quay,dc=example
objectClass: dcObject
objectClass: organization
dc: quay
o: Quay

dn: ou=people,dc=quay,dc=example
objectClass: organizationalUnit
ou: people

dn: ou=groups,dc=quay,dc=example
objectClass: organizationalUnit
ou: groups

${entries}`;
  execFileSync('slapadd', ['-f', config], { input: tree, stdio: ['pipe', 'ignore', 'ignore'] });
  const server = startProgram('slapd', ['-f', config, '-h', `ldap://127.0.0.1:${port}/`, '-d', '0']);
  await wait(1000);
  return {
    /** The entries below the tree as objects of their attributes. */
    entries: () =>
      execFileSync('slapcat', ['-f', config, '-o', 'ldif-wrap=no'], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] })
        .split('\n\n')
        .filter(Boolean)
        .map((text) => Object.fromEntries(text.split('\n').map((line) => line.split(/::? /)))),
    stop: server.stop,
  };
}

const apacheModules = '/usr/lib/apache2/modules';

/** Starts Apache on loopback in front of an application, with modules and directives of its own for the door. */
export async function startApache(folder, port, { modules, directives, behind }) {
  const home = join(folder, 'apache');
  mkdirSync(join(home, 'htdocs'), { recursive: true });
  const names = ['mpm_event', 'authn_core', 'authz_core', 'authz_user', 'env', 'alias', 'proxy', 'proxy_http', ...modules];
  const config = join(home, 'httpd.conf');
  writeFileSync(
    config,
    `ServerRoot ${home}
ServerName 127.0.0.1
PidFile ${home}/httpd.pid
ErrorLog ${home}/error.log
Listen 127.0.0.1:${port}
User www-data
Group www-data
DocumentRoot ${home}/htdocs
${names.map((one) => `LoadModule ${one}_module ${apacheModules}/mod_${one}.so`).join('\n')}
ProxyPreserveHost On
${directives}
${behind ? `ProxyPass / ${behind}/` : ''}
`,
  );
  execFileSync('chown', ['-R', 'www-data', home]);
  const server = startProgram('apache2', ['-d', home, '-f', config, '-DFOREGROUND']);
  const origin = `http://127.0.0.1:${port}`;
  await answers(origin);
  return { origin, stop: server.stop };
}
