// npm test: installs what is missing (Chromium and PostgreSQL from Debian included), builds, and runs every check and test.
import { spawnSync } from 'node:child_process';
import { build, chromiumPath, installDebian, installPackages, root } from './setup.mjs';

installPackages();
if (!installDebian(chromiumPath, ['chromium'])) process.exit(1);
installDebian('/usr/lib/postgresql/15/bin/initdb', ['postgresql-15']);
build();

const steps = [
  ['Format', 'npx', ['prettier', '--check', '.']],
  ['Walls between packages', 'npm', ['run', '-s', 'walls']],
  ['Types of tests', 'npx', ['tsc', '-p', 'tsconfig.spec.json']],
  ['Types of the end-to-end tests', 'npx', ['tsc', '-p', 'e2e/tsconfig.json']],
  ['Types of the web client', 'npx', ['tsc', '-p', 'packages/web/tsconfig.spec.json', '--noEmit']],
  ['Lint', 'npx', ['eslint', '.']],
  ['Unit and integration tests', 'npx', ['jest', '--testPathIgnorePatterns', '/node_modules/', 'theory\\.spec']],
  // Measured times are compared with a model, so nothing else may use the processors meanwhile.
  ['Engine against theory, alone on the machine', 'npx', ['jest', '--runInBand', 'theory\\.spec']],
  ['Tests of the web client', 'npm', ['test', '-w', '@sturdy/web']],
  ['End-to-end tests in Chromium', 'npx', ['playwright', 'test']],
];

const failed = [];
for (const [name, command, args] of steps) {
  process.stdout.write(`\n== ${name}\n`);
  const started = Date.now();
  const done = spawnSync(command, args, { cwd: root, stdio: 'inherit' });
  process.stdout.write(`-- ${name}: ${done.status === 0 ? 'good' : 'FAILED'} in ${Math.round((Date.now() - started) / 1000)} s\n`);
  if (done.status !== 0) failed.push(name);
}
process.stdout.write(`\n${steps.length - failed.length} passed, ${failed.length} failed\n`);
if (failed.length > 0) process.stdout.write(`Failed: ${failed.join('; ')}\n`);
process.exit(failed.length > 0 ? 1 : 0);
