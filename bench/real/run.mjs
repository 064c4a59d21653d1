// Real applications, each started on loopback, recorded twice by a robot, correlated, rehearsed and repaired by the command line, and
// then looked up in its own database. usage: npm run bench:real -- NAME… [--product FOLDER] [--json FILE] [--keep] [--leave-out] [--gestures [--second-only]]
// Without names it lists them. --product takes another build of the product, such as an older one. --keep leaves the application running.
// --gestures records in the clean browser, has the second take made by itself, and tries it beside a second take by hand and one take alone.
// With --second-only nothing is tried with them.
// --leave-out leaves the handoffs of the passing script out one by one: none of that may end proven and be wrong.
import { execFile } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { leaveOneOut } from '../leave-one-out.mjs';
import { takesWithGestures } from './gestures.mjs';
import { leftOutOfTake } from './left-out.mjs';
import { emptyFolder, installDebian, installNpm, inBrowser } from './stage.mjs';

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    product: { type: 'string', default: fileURLToPath(new URL('../..', import.meta.url)) },
    json: { type: 'string' },
    keep: { type: 'boolean', default: false },
    'leave-out': { type: 'boolean', default: false },
    gestures: { type: 'boolean', default: false },
    'second-only': { type: 'boolean', default: false },
  },
});
const here = new URL('./', import.meta.url);
const known = readdirSync(here, { withFileTypes: true })
  .filter((one) => one.isDirectory() && existsSync(new URL(`${one.name}/app.mjs`, here)))
  .map((one) => one.name);
const say = (line = '') => process.stdout.write(`${line}\n`);
if (positionals.length === 0) {
  say(`Name some of: ${known.join(', ')}; or all.`);
  process.exit(2);
}
const sturdy = join(values.product, 'packages/cli/bin/sturdy.mjs');

/** Runs the command line; never throws. */
const run = (folder, args) =>
  new Promise((done) => {
    execFile(process.execPath, [sturdy, ...args], { cwd: folder, maxBuffer: 1 << 28 }, (error, out, said) =>
      done({ status: error ? (error.code ?? 1) : 0, text: out + said }),
    );
  });

/** What became of the things of an application between two looks at it. */
function difference(before, after) {
  const old = new Map(before.map((one) => [one.id, one]));
  const made = after.filter((one) => !old.has(one.id));
  const touched = after.filter((one) => old.has(one.id) && old.get(one.id).text !== one.text);
  const gone = before.filter((one) => !after.some((other) => other.id === one.id));
  return {
    made: made.length,
    done: made.filter((one) => one.done).length,
    touched: touched.length + gone.length,
    details: [
      ...made.map((one) => `made ${one.text}`),
      ...touched.map((one) => `touched ${old.get(one.id).text} -> ${one.text}`),
      ...gone.map((one) => `gone ${one.text}`),
    ],
  };
}

const readJson = (file) => (existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null);

/** Correlates, repairs, and rehearses once more to see what a passing replay does. */
async function tryTakes(folder, app, running, takes) {
  const name = (what, ending) => `${what}-${takes.join('-')}.${ending}`;
  const secondTake = app.ownTakes === false ? [] : takes.slice(1).flatMap((file) => ['--second', file]);
  const files = { script: name('script', 'yaml'), report: name('rehearsal', 'json'), again: name('again', 'json') };
  const correlated = await run(folder, [
    'correlate',
    ...takes,
    '--out',
    files.script,
    '--report',
    name('correlation', 'json'),
    ...(app.correlateWith ?? []),
  ]);
  if (correlated.status !== 0) return { said: 'not correlated', is: 'failed', text: correlated.text };
  const supportsSecond = (await run(folder, ['rehearse', '--help'])).text.includes('--second');
  const given = (report) => [
    files.script,
    '--environment',
    'env.yaml',
    '--take',
    takes[0],
    ...(supportsSecond ? secondTake : []),
    '--report',
    report,
  ];
  const start = await running.things();
  const repaired = await run(folder, ['rehearse', ...given(files.report), '--repair']);
  const middle = await running.things();
  const again = await run(folder, ['rehearse', ...given(files.again), ...(supportsSecond ? ['--twice'] : [])]);
  const end = await running.things();
  const report = readJson(join(folder, files.report));
  const last = readJson(join(folder, files.again));
  const inRounds = difference(start, middle);
  const once = difference(middle, end);
  const played = last?.rounds.length ?? 1;
  const right = once.done === played && once.made === played && once.touched === 0;
  const said = last?.result ?? last?.verdict ?? `exit status ${again.status}`;
  const passed = said === 'passed' || said === 'proven';
  const script = readFileSync(join(folder, files.script), 'utf8');
  let looked = await running.things();
  const leftOut =
    values['leave-out'] && passed && right
      ? await leaveOneOut(
          folder,
          files.script,
          (file, report) => run(folder, ['rehearse', file, ...given(report).slice(1), '--twice']),
          async () => {
            const now = await running.things();
            const { made, done, touched } = difference(looked, now);
            looked = now;
            return made === 2 && done === 2 && touched === 0;
          },
        )
      : undefined;
  return {
    ...(leftOut === undefined ? {} : { leftOut }),
    takes: takes.length,
    files: takes.join(' + '),
    handoffs: readJson(join(folder, name('correlation', 'json')))?.handoffs.length ?? 0,
    rounds: report?.rounds.length ?? 0,
    repairSaid: report?.result ?? report?.verdict ?? `exit status ${repaired.status}`,
    inRounds,
    said,
    once,
    is: passed ? (right ? 'good' : 'FALSE PASS') : right ? `right, called ${said}` : 'failed',
    text: [correlated.text, repaired.text, again.text, ...inRounds.details, ...once.details].join('\n--\n'),
    handoffsAfter: (script.match(/^ {2}- name:/gm) ?? []).length,
  };
}

async function trial(name) {
  const { app } = await import(new URL(`${name}/app.mjs`, here).href);
  installDebian(app.debian ?? []);
  const npmFolder = app.npm ? installNpm(name, app.npm) : null;
  const folder = emptyFolder(join(tmpdir(), 'sturdy-real', name));
  const running = await app.start({ folder, npmFolder });
  const results = [];
  try {
    if (app.prepare) await inBrowser((page) => app.prepare(page, running.origin, running));
    const byHand = async (at) => {
      const file = `take-${at + 1}.har`;
      await inBrowser((page) => app.flow(page, running.origin, app.takes[at], running), join(folder, file));
      return file;
    };
    const trials = [];
    if (values.gestures) {
      const origins = [running.origin, ...(running.origins ?? [])];
      const flow = (page) => app.flow(page, running.origin, app.takes[0], running);
      const { first, second, made, seconds } = await takesWithGestures({ folder, origins, flow });
      say(
        `${name.padEnd(14)} second take by itself: ${made.played} of ${made.total} gestures in ${made.rounds} rounds, ${seconds.toFixed(0)} s; other values ${made.changed.length}, as recorded ${made.asRecorded.length}, drifted ${made.drifted.length}${made.failure ? `; could not: ${made.failure.words}: ${made.failure.sentence}` : ''}`,
      );
      if (!values['second-only']) trials.push(...(second ? [[first, second]] : []), [first, await byHand(1)], [first]);
    } else {
      const takes = [];
      for (const at of app.takes.keys()) takes.push(await byHand(at));
      trials.push(takes, takes.slice(0, 1));
      const recorded = (await running.things()).filter((one) => one.done || one.recorded);
      if (recorded.length < takes.length)
        say(`${name}: the robot made ${recorded.length} of ${takes.length} things; the trial says little.`);
    }
    writeFileSync(
      join(folder, 'env.yaml'),
      `targets: [${[running.origin, ...(running.origins ?? [])].join(', ')}]\n${running.environment ?? ''}`,
    );
    for (const file of new Set(trials.flat())) {
      const left = await leftOutOfTake(join(folder, file));
      say(
        `${name.padEnd(14)} ${file}: ${left.requests} requests; left out ${left.files} files, ${left.others} others, acts ${left.acts.length}${left.acts.map((one) => `\n    left out: ${one}`).join('')}`,
      );
    }
    for (const used of trials) {
      const { text, ...result } = await tryTakes(folder, app, running, used);
      writeFileSync(join(folder, `said-${used.join('-')}.txt`), text);
      results.push(result);
    }
    if (values.keep) {
      say(`Kept running: ${running.origin}, ${folder}`);
      await new Promise(() => setInterval(() => undefined, 1 << 30));
    }
  } finally {
    await running.stop();
  }
  return { name, title: app.title, results };
}

const all = [];
for (const name of positionals.includes('all') ? known : positionals) {
  try {
    const one = await trial(name);
    all.push(one);
    for (const result of one.results) {
      say(
        `${name.padEnd(14)} ${result.files}  ${String(result.is).padEnd(24)} said ${String(result.said).padEnd(10)} rounds ${result.rounds}  handoffs ${result.handoffs}  rounds made ${result.inRounds?.made} (${result.inRounds?.done} changed, ${result.inRounds?.touched} others touched); once more made ${result.once?.made} (${result.once?.done}, ${result.once?.touched})`,
      );
      if (result.leftOut)
        say(
          `${' '.repeat(24)}left out one by one ${result.leftOut.left}: called proven and wrong ${result.leftOut.falsePasses.length}${result.leftOut.falsePasses.map((text) => ` (${text})`).join('')}, proven and right ${result.leftOut.needless.length}; causes right ${result.leftOut.causes.right}, wrong ${result.leftOut.causes.wrong}, none named ${result.leftOut.causes.none}`,
        );
    }
  } catch (error) {
    say(`${name}: ${error instanceof Error ? error.stack : String(error)}`);
    all.push({ name, error: String(error) });
  }
}
if (values.json) {
  mkdirSync(join(values.json, '..'), { recursive: true });
  writeFileSync(values.json, `${JSON.stringify(all, null, 1)}\n`);
}
process.exit(0);
