// Correlation measured: quality on two halves of a corpus of conventions, one of which the algorithm was not tuned on; then time and
// memory over takes of growing size. usage: npm run bench:correlation [-- --seed N] [--sizes 25,50,100,200] [--verbose]
import { parseArgs } from 'node:util';
import { correlate, everything, publishedPatterns, scriptFromTake } from '../packages/core/dist/index.js';
import { correlateInThreads } from '../packages/server/dist/compute/correlate-in-threads.js';
import { ablate, judged } from './correlation/ablation.mjs';
import { classes } from './correlation/classes.mjs';
import { heldOut, tuned } from './correlation/conventions.mjs';
import { measure, measureTakes } from './correlation/measure.mjs';
import { silent } from './correlation/silent-misses.mjs';
import { Visit } from './correlation/visit.mjs';
import { yardRounds, yardTake } from './correlation/yard.mjs';

const { values } = parseArgs({
  options: {
    seed: { type: 'string', default: '41' },
    sizes: { type: 'string', default: '25,50,100,200' },
    visits: { type: 'string', default: '12' },
    verbose: { type: 'boolean', default: false },
  },
});
const say = (line = '') => process.stdout.write(`${line}\n`);
const percent = (part, whole) => (whole === 0 ? '   –' : `${((100 * part) / whole).toFixed(1)} %`).padStart(8);

const corpus = [
  ['tuned on', tuned],
  ['held out', heldOut],
  ['easily missed', silent],
  ['learnt', classes],
];
/** What stands before the colon of a convention's name; the whole of it where there is none. */
const classOf = (name) => name.split(':')[0];

for (const [half, conventions] of corpus)
  for (const takes of [2, 1]) {
    const byClass = new Map();
    const sum = { wanted: 0, found: 0, handoffs: 0, right: 0, reads: 0, readsRight: 0 };
    say(`\n${half}, ${takes} take${takes === 2 ? 's' : ''}`.padEnd(52) + '  recall precision  extractors right on an unseen take');
    for (const [name, play] of Object.entries(conventions)) {
      const own = { wanted: 0, found: 0, handoffs: 0, right: 0, reads: 0, readsRight: 0, lost: 0, misses: new Set(), wrong: new Set() };
      for (let visit = 0; visit < Number(values.visits); visit++) {
        const one = measure(name, play, `${values.seed}-${visit}`, takes === 2);
        for (const key of [...Object.keys(sum), 'lost']) own[key] += one[key];
        one.misses.forEach((miss) => own.misses.add(miss));
        one.wrong.forEach((wrong) => own.wrong.add(wrong));
      }
      const ofClass = byClass.get(classOf(name)) ?? { wanted: 0, found: 0, handoffs: 0, right: 0, reads: 0, readsRight: 0, lost: 0 };
      for (const key of Object.keys(ofClass)) ofClass[key] += own[key];
      byClass.set(classOf(name), ofClass);
      for (const key of Object.keys(sum)) sum[key] += own[key];
      say(
        `  ${name.padEnd(48)}${percent(own.found, own.wanted)} ${percent(own.right, own.handoffs)} ${percent(own.readsRight, own.reads)}`,
      );
      if (values.verbose) {
        [...own.misses].slice(0, 4).forEach((miss) => say(`      missed ${miss}`));
        [...own.wrong].slice(0, 4).forEach((wrong) => say(`      made without need: ${wrong}`));
      }
    }
    say(
      `  ${'all'.padEnd(48)}${percent(sum.found, sum.wanted)} ${percent(sum.right, sum.handoffs)} ${percent(sum.readsRight, sum.reads)}   (${sum.wanted} values, ${sum.handoffs} handoffs)`,
    );
    if (byClass.size === Object.keys(conventions).length) continue;
    say('  by class'.padEnd(52) + '  recall precision  values, handoffs, of these wrong; requests lost by Tidy');
    for (const [name, own] of byClass)
      say(
        `    ${name.padEnd(46)}${percent(own.found, own.wanted)} ${percent(own.right, own.handoffs)}  ${own.wanted}, ${own.handoffs}, ${own.handoffs - own.right}; ${own.lost}`,
      );
  }

say('\nRight scripts, played on visits that nobody recorded'.padEnd(52) + '  passed  drifted or failed');
{
  const said = {};
  const wrong = new Set();
  for (const [name, play] of Object.entries(classes))
    for (let visit = 0; visit < Math.min(4, Number(values.visits)); visit++) {
      const { result, named } = judged(name, play, `${values.seed}-${visit}`, true);
      said[result] = (said[result] ?? 0) + 1;
      if (result === 'drifted' || result === 'failed') wrong.add(`${name}: ${named?.sentence ?? ''}`);
    }
  say(
    `  ${'learnt, 2 takes'.padEnd(48)}${String((said.proven ?? 0) + (said.unproven ?? 0)).padStart(8)} ${String((said.drifted ?? 0) + (said.failed ?? 0)).padStart(10)}`,
  );
  wrong.forEach((text) => say(`      ${text}`));
}

const yardLeftOut = [];
const yardTakes = await Promise.all([1, 2, 3].map(yardTake));
say('\nTidewell Yard, all transactions'.padEnd(52) + '   recall precision  extractors right on an unseen take');
for (const takes of [2, 1]) {
  const own = measureTakes('yard', ...yardTakes, takes === 2);
  say(
    `  ${`${takes} take${takes === 2 ? 's' : ''}`.padEnd(48)}${percent(own.found, own.wanted)} ${percent(own.right, own.handoffs)} ${percent(own.readsRight, own.reads)}   (${own.wanted} values, ${own.handoffs} handoffs)`,
  );
  if (values.verbose)
    [...own.misses.map((one) => `missed ${one}`), ...own.wrong.map((one) => `made without need: ${one}`)].forEach((one) =>
      say(`      ${one}`),
    );
  const live = await yardRounds(takes);
  yardLeftOut.push([takes, live.leftOut]);
  say(
    `    played on a fresh Yard: ${live.passed ? 'passed' : 'NOT PASSED'}; rehearsals until it passed: ${live.rounds.join(', and once more: ')}; booked ${live.booked}, released ${live.released}`,
  );
}

say('\nOne handoff left out at a time'.padEnd(52) + '    left out  called proven  cause right  wrong  none named');
const sayCauses = (name, { left, proven, causes }) =>
  say(
    `  ${name.padEnd(48)}${String(left).padStart(10)} ${String(proven).padStart(14)} ${String(causes.right).padStart(12)} ${String(causes.wrong).padStart(6)} ${String(causes.none).padStart(11)}`,
  );
for (const [half, conventions] of corpus)
  for (const takes of [2, 1]) {
    const sum = { left: 0, proven: 0, causes: { right: 0, wrong: 0, none: 0 } };
    const told = [];
    for (const [name, play] of Object.entries(conventions))
      for (let visit = 0; visit < Math.min(4, Number(values.visits)); visit++) {
        const one = ablate(name, play, `${values.seed}-${visit}`, takes === 2);
        if (!one) continue;
        sum.left += one.left;
        sum.proven += one.proven.length;
        for (const cause of Object.keys(sum.causes)) sum.causes[cause] += one.causes[cause];
        told.push(
          ...one.proven.map((text) => `proven without ${text} (${name})`),
          ...one.wrongCauses.map((text) => `wrong cause: ${text} (${name})`),
        );
      }
    sayCauses(`${half}, ${takes} take${takes === 2 ? 's' : ''}`, sum);
    [...new Set(told)].slice(0, values.verbose ? 20 : 3).forEach((text) => say(`      ${text}`));
  }
for (const [takes, one] of yardLeftOut) {
  sayCauses(`Yard, ${takes} take${takes === 2 ? 's' : ''}`, { ...one, proven: one.falsePasses.length });
  one.falsePasses.forEach((text) => say(`      proven without ${text}`));
  if (one.needless.length > 0) say(`      proven and right without: ${one.needless.join(', ')}`);
  if (values.verbose) one.wrongCauses.forEach((text) => say(`      wrong cause: ${text}`));
}

/** A take of a given size in MB of text: a form flow of 2,000 exchanges with pages of the needed length. */
function large(megabytes, exchanges = 2000) {
  const visit = new Visit(`large ${values.seed}`, 0);
  const rows = Math.round((megabytes * 1e6) / (exchanges / 2) / 73);
  for (let at = 0; at < exchanges / 2; at++) {
    const token = visit.token(32);
    visit.page(
      `/step/${at}`,
      visit.noise(`<form><input type="hidden" name="token" value="${token}"><input name="note" value="n"></form>`, rows),
    );
    visit.post('/save', { token, note: `Note ${at}` }, { status: 204, answer: '' });
  }
  return visit.load();
}

const timed = async (work) => {
  const started = performance.now();
  const { report } = await work();
  return { tookMs: performance.now() - started, report };
};
const columns = (tookMs, megabytes) => `${(tookMs / 1000).toFixed(2).padStart(10)} s ${(tookMs / megabytes).toFixed(1).padStart(7)} ms`;

say('\nsize of the take      one thread     per MB   all threads     per MB   memory at most (heap), one thread');
for (const megabytes of values.sizes.split(',').map(Number)) {
  const loaded = large(megabytes);
  const script = scriptFromTake(loaded, {
    scriptId: 's',
    name: 'large',
    tidy: everything,
  });
  globalThis.gc?.();
  const before = process.memoryUsage().rss;
  const alone = await timed(() => correlate(script, loaded, null));
  const grown = process.memoryUsage().rss - before;
  const shared = await timed(() => correlateInThreads(script, loaded, null, publishedPatterns));
  say(
    `  ${String(megabytes).padStart(4)} MB ${columns(alone.tookMs, megabytes)} ${columns(shared.tookMs, megabytes)} +${(grown / 1e6).toFixed(0).padStart(5)} MB   ${alone.report.handoffs.length} handoffs`,
  );
}
