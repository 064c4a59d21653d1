// npm test: installs what is missing (Chromium and PostgreSQL from Debian included), builds, and runs every check and test.
import { existsSync } from 'node:fs';
import { builtEnvironment, chromiumPath, installDebian, installPackages, start, startBuild } from './setup.mjs';

await Promise.all([
  installDebian([
    [chromiumPath, 'chromium'],
    // Reads what the product prints.
    ['/usr/bin/pdftotext', 'poppler-utils'],
    ['/usr/lib/postgresql/15/bin/initdb', 'postgresql-15'],
  ]),
  installPackages(),
]);
// Without PostgreSQL the tests of the store run on the embedded database alone; without a browser there is nothing to drive.
if (!existsSync(chromiumPath)) process.exit(1);
// Unit tests and checks need no web client; it is built beside them.
const built = startBuild();
await built.packages;

const checks = [
  ['Lint', 'npx', ['eslint', '.']],
  ['Types of tests', 'npx', ['tsc', '-p', 'tsconfig.tests.json']],
  ['Types of the web client', 'npx', ['tsc', '-p', 'packages/web/tsconfig.spec.json', '--noEmit']],
  // They measure no times, so they take their turn here.
  ['Tests of the web client', 'npm', ['test', '-w', '@sturdy/web']],
  ['Walls between packages', 'npm', ['run', '-s', 'walls']],
  ['Format', 'npx', ['prettier', '--check', '.']],
  ['10,000 hostile inputs for all readers', process.execPath, ['bench/fuzz/fuzz.mjs', '--inputs', '10000']],
  ['Hostile requests to the API', process.execPath, ['bench/fuzz/api.mjs', '--requests', '200', '--still', '60000']],
];
const unitTests = ['Unit and integration tests', 'npx', ['jest']];
const endToEndTests = ['End-to-end tests in Chromium', 'npx', ['playwright', 'test']];

const failed = [];
const tell = (name, good, started) => {
  process.stdout.write(`-- ${name}: ${good ? 'good' : 'FAILED'} in ${Math.round((Date.now() - started) / 1000)} s\n`);
  if (!good) failed.push(name);
};

// Compilers make much that they drop at once; with more room for it they clean up more seldom, and take an eighth less of the processor.
const roomy = { ...builtEnvironment, NODE_OPTIONS: `${builtEnvironment.NODE_OPTIONS} --max-semi-space-size=128` };

/** One check whose output is shown when it ends, so that checks that run at the same time do not mix theirs. */
function check([name, command, args]) {
  const started = Date.now();
  const program = start('nice', ['-n', '19', command, ...args], { env: roomy });
  let said = '';
  for (const stream of [program.stdout, program.stderr]) stream.on('data', (chunk) => (said += chunk));
  return new Promise((done) => {
    program.on('close', (code) => {
      process.stdout.write(`\n== ${name}\n${said}`);
      tell(name, code === 0, started);
      done();
    });
  });
}

// Tests of times and of screens wait more than they compute. The checks take what they leave: at the lowest priority they disturb nobody.
const waiting = [...checks];
const lane = async () => {
  for (let next = waiting.shift(); next; next = waiting.shift()) await check(next);
};
const checked = Promise.all([lane(), lane()]);

/** A runner of tests, whose output is shown as it comes. */
function test([name, command, args]) {
  process.stdout.write(`\n== ${name}\n`);
  const started = Date.now();
  const program = start(command, args, { stdio: 'inherit', env: builtEnvironment });
  return new Promise((done) => {
    program.on('close', (code) => {
      tell(name, code === 0, started);
      done();
    });
  });
}
await test(unitTests);
await built.all;
await test(endToEndTests);
await checked;

const all = checks.length + 2;
process.stdout.write(`\n${all - failed.length} passed, ${failed.length} failed\n`);
if (failed.length > 0) process.stdout.write(`Failed: ${failed.join('; ')}\n`);
process.exit(failed.length > 0 ? 1 : 0);
