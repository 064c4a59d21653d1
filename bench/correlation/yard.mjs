// The takes of Tidewell Yard, labelled: which of the values that each request sends Yard had made. The labels follow Yard's own
// source (packages/standins/src/yard), by place; correlation knows nothing of them.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { readTake } from '../../packages/cli/dist/input-files.js';
import { everything, requestSteps, scriptFromTake, sentNodes } from '../../packages/core/dist/index.js';
import { leaveOneOut } from '../leave-one-out.mjs';
import { startYard } from '../../packages/standins/dist/index.js';

const file = (name) => fileURLToPath(new URL(`yard/${name}`, import.meta.url));
const sturdy = fileURLToPath(new URL('../../packages/cli/bin/sturdy.mjs', import.meta.url));

/** True for a value that Yard made: keys and states of forms, the visit's keys, numbers and versions of records, free bays. */
function madeByYard(path, { place, value }) {
  if (/^form:(formKey|pageState|draft|twin)$|json:\/draft$|^header:(x-client-key|x-twin|if-match)$/.test(place)) return true;
  if (/^xml:\/release\/(intake|version)$|^query:text$|^json:\/bay$/.test(place)) return true;
  return place === 'path:2' && (/^\/desk\//.test(path) || (/^\/intakes\/\d/.test(path) && /^\d+$/.test(value)));
}

/** One of the takes with the truth about it. */
export async function yardTake(number) {
  const { loaded } = await readTake(file(`take-${number}.har`));
  const script = scriptFromTake(loaded, { scriptId: 'truth', name: 'truth', tidy: everything });
  const truth = requestSteps(script).map(({ step }) => {
    const path = step.name.slice(step.method.length + 1);
    const handoffs = [];
    const walk = (node) => {
      // A wrapped value is labelled by what is in it.
      if (!node.isName && madeByYard(path, node)) handoffs.push(node.value.replace(/^"|"$/g, ''));
      node.kids.forEach(walk);
    };
    sentNodes(step).forEach(walk);
    return { n: step.exchange, handoffs };
  });
  return { truth, load: () => loaded };
}

/**
 * Correlates the takes, plays the script against a fresh Yard and repairs it: how many rehearsals it needs, and what Yard holds then. After that
 * what the script needs is left out one by one.
 */
export async function yardRounds(takes) {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-yard-'));
  const yard = await startYard({ port: 0 });
  // Yard answers from this process, so nothing here may block.
  const run = (...args) =>
    new Promise((done) => {
      const program = spawn(process.execPath, [sturdy, ...args], { cwd: folder, stdio: ['ignore', 'ignore', 'inherit'] });
      program.on('close', done);
    });
  try {
    const recorded = new URL(JSON.parse(readFileSync(file('take-1.har'), 'utf8')).log.entries[0].request.url).origin;
    writeFileSync(join(folder, 'env.yaml'), `targets: [${yard.origin}]\nmap: { "${recorded}": "${yard.origin}" }\n`);
    const given = Array.from({ length: takes }, (_, at) => file(`take-${at + 1}.har`));
    const correlated = await run('correlate', ...given, '--out', 'script.yaml', '--report', 'report.json');
    if (correlated !== 0) throw new Error('The takes of Yard could not be correlated.');
    const before = yard.truth();
    // Yard has not met the recorded container yet; a second rehearsal does what a replay has to do.
    const rehearse = (report) =>
      run('rehearse', 'script.yaml', '--environment', 'env.yaml', '--take', given[0], '--repair', '--report', report);
    const played = await rehearse('out.json');
    const again = await rehearse('again.json');
    const rounds = ['out.json', 'again.json'].map((name) => JSON.parse(readFileSync(join(folder, name), 'utf8')).rounds.length);
    const after = yard.truth();
    const second = given[1] === undefined ? [] : ['--second', given[1]];
    let last = after;
    const leftOut = await leaveOneOut(
      folder,
      'script.yaml',
      (script, report) =>
        run('rehearse', script, '--environment', 'env.yaml', '--take', given[0], ...second, '--twice', '--report', report),
      () => {
        const now = yard.truth();
        const right = now.bookedCount - last.bookedCount === 2 && now.releasedCount - last.releasedCount === 2;
        last = now;
        return right;
      },
    );
    return {
      leftOut,
      passed: played === 0 && again === 0,
      rounds,
      booked: after.bookedCount - before.bookedCount,
      released: after.releasedCount - before.releasedCount,
    };
  } finally {
    await yard.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}
