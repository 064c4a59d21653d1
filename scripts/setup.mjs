// What demo, tests and bench share: install what is missing, build what has changed.
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = fileURLToPath(new URL('..', import.meta.url));
export const chromiumPath = '/usr/bin/chromium';
const stampFile = join(root, '.sturdy', 'built');

/** Runs a command with its output on screen; ends the process where it fails. */
export function run(command, args, options = {}) {
  const done = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (done.status !== 0) {
    process.stderr.write(`\n${command} ${args.join(' ')} failed (${done.status ?? done.signal ?? done.error?.message}).\n`);
    process.exit(done.status ?? 1);
  }
}

const programs = new Set();
process.on('exit', () => programs.forEach((program) => program.kill()));

/** Starts a program that runs beside others. Where this process ends first, the program ends with it. */
export function start(command, args, options = {}) {
  const program = spawn(command, args, { cwd: root, ...options });
  programs.add(program);
  program.on('close', () => programs.delete(program));
  return program;
}

/** The same beside others: resolves once it has ended well, and ends the process where it fails. */
function running(command, args, options = {}) {
  const program = start(command, args, { stdio: 'inherit', ...options });
  return new Promise((done) => {
    program.on('close', (code) => {
      if (code === 0) return done();
      process.stderr.write(`\n${command} ${args.join(' ')} failed (${code}).\n`);
      process.exit(code ?? 1);
    });
  });
}

/** Installs the packages of the lock file, where that was not done for this lock file yet. */
export async function installPackages() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const marker = join(root, 'node_modules', '.sturdy-lock');
  if (existsSync(marker) && readFileSync(marker, 'utf8') === lock) return;
  process.stdout.write('Installing packages…\n');
  await running('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund']);
  writeFileSync(marker, lock);
}

/** Installs Debian packages of which a program is missing. False where that is not possible here. */
export async function installDebian(wanted) {
  const missing = wanted.filter(([program]) => !existsSync(program));
  if (missing.length === 0) return true;
  const packages = missing.map(([, name]) => name);
  if (process.getuid?.() !== 0 || !existsSync('/usr/bin/apt-get')) {
    process.stderr.write(
      `Missing: ${missing.map(([program]) => program).join(', ')}. Install first: sudo apt-get install ${packages.join(' ')}\n`,
    );
    return false;
  }
  process.stdout.write(`Installing ${packages.join(', ')}…\n`);
  const environment = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  await running('apt-get', ['update', '-qq'], { env: environment });
  await running('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], { env: environment });
  return missing.every(([program]) => existsSync(program));
}

function newestSource(folder) {
  let newest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name.startsWith('.')) continue;
    const path = join(folder, entry.name);
    newest = Math.max(newest, entry.isDirectory() ? newestSource(path) : statSync(path).mtimeMs);
  }
  return newest;
}

/**
 * Environment for programs that start right after `build`: they and their threads take the core in one file. It is asked for by a condition
 * (`exports` in its package.json), so that nobody who runs the compiler alone gets a bundle from before.
 */
export const builtEnvironment = { ...process.env, NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --conditions=bundled`.trim() };

/** Builds all packages, where a source is newer than the last build. */
export async function build() {
  await startBuild().all;
}

/** Starts that build. `packages` resolves once all but the web client is built, `all` once that is, too. */
export function startBuild() {
  const newest = Math.max(newestSource(join(root, 'packages')), statSync(join(root, 'package-lock.json')).mtimeMs);
  const built =
    existsSync(stampFile) &&
    ['web/dist/browser/index.html', 'core/dist/bundled.js'].every((file) => existsSync(join(root, 'packages', file)))
      ? statSync(stampFile).mtimeMs
      : 0;
  if (built > newest) return { packages: Promise.resolve(), all: Promise.resolve() };
  process.stdout.write('Building…\n');
  // The web client takes the core from its sources, so it needs nothing of the others.
  const packages = buildPackages();
  const web = running('npm', ['run', '-s', 'build', '-w', '@sturdy/web']);
  const all = Promise.all([packages, web]).then(() => {
    mkdirSync(join(root, '.sturdy'), { recursive: true });
    writeFileSync(stampFile, new Date().toISOString());
  });
  return { packages, all };
}

async function buildPackages() {
  await running(process.execPath, ['scripts/page-code.mjs']);
  await running(process.execPath, ['node_modules/typescript/bin/tsc', '-b']);
  const { bundleCore } = await import('./bundle.mjs');
  bundleCore(join(root, 'packages/core/dist/index.js'), join(root, 'packages/core/dist/bundled.js'), 'esm');
  await running(process.execPath, ['packages/server/dist/store/make-empty-database.js']);
}
