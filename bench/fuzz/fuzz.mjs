// Fuzzes all readers. usage: npm run fuzz -- [minutes] [--inputs 10000] [--seed 1] [--target NAME] [--show NUMBER]
// Minutes go on with ever new inputs; --inputs is the number of inputs in all. --show prints one input of a target. Exit status 1 for a find.
import { parseArgs } from 'node:util';
import { Worker } from 'node:worker_threads';
import { mutated } from './mutate.mjs';
import { targets } from './targets.mjs';

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    inputs: { type: 'string' },
    seed: { type: 'string', default: '1' },
    target: { type: 'string' },
    show: { type: 'string' },
  },
});
const minutes = Number(positionals[0] ?? 0);
const inputs = values.inputs === undefined ? (minutes > 0 ? Infinity : 10_000) : Number(values.inputs);
const names = values.target === undefined ? Object.keys(targets) : [values.target];
/** A reader that keeps more than this at a time ends its thread, which is a find. */
const mostMemoryMb = 300;
const say = (line) => process.stdout.write(`${line}\n`);
if (values.show !== undefined) {
  say(JSON.stringify(mutated(targets[names[0]].seeds, `${values.seed} ${names[0]} ${values.show}`)));
  process.exit(0);
}

/** An input that takes longer, in ms of the processor, is a find; ordinary ones take well under a millisecond. */
const slowMs = 1000;
/** One that takes longer than this is ended with its thread. */
const longestMs = 60_000;
const portion = 250;

const at = new Int32Array(new SharedArrayBuffer(4));
let worker = null;
let memoryMb = 0;
const finds = [];
const note = (target, number, what) => {
  finds.push({ target, number, what });
  // The same fault is found again and again.
  if (finds.filter((one) => one.target === target && one.what.slice(0, 120) === what.slice(0, 120)).length === 1)
    say(`  ${target} ${number}: ${what}\n    see it: npm run fuzz -- --seed ${values.seed} --target "${target}" --show ${number}`);
};

/** Runs a portion of inputs; one that never ends is noted, and what follows it is run in a new thread. */
async function runPortion(target, from, to) {
  for (let next = from; next < to;) {
    worker ??= new Worker(new URL('./fuzz.worker.mjs', import.meta.url), {
      workerData: { seed: values.seed, at, slowMs },
      resourceLimits: { maxOldGenerationSizeMb: mostMemoryMb },
    });
    Atomics.store(at, 0, next);
    next = await new Promise((done) => {
      let [seenAt, seenMs] = [-1, performance.now()];
      const watch = setInterval(() => {
        const now = Atomics.load(at, 0);
        if (now !== seenAt) [seenAt, seenMs] = [now, performance.now()];
        else if (performance.now() - seenMs > longestMs) end(now, `did not end within ${longestMs / 1000} s`);
      }, 500);
      const end = (number, what) => {
        clearInterval(watch);
        worker.removeAllListeners('message');
        worker.removeAllListeners('error');
        if (what === null) return done(to);
        note(target, number, what);
        void worker.terminate();
        worker = null;
        done(number + 1);
      };
      worker.on('message', (message) => {
        if (message.kind === 'find') note(target, message.number, message.what);
        else {
          memoryMb = Math.max(memoryMb, message.memory / 1e6);
          end(0, null);
        }
      });
      worker.on('error', (error) => end(Atomics.load(at, 0), `ended the thread: ${error.message}`));
      worker.postMessage({ target, from: next, to });
    });
  }
}

const startedMs = Date.now();
let count = 0;
for (let from = 0; count < inputs && (minutes === 0 || Date.now() - startedMs < minutes * 60_000); from += portion)
  for (const target of names) {
    if (count >= inputs) break;
    const to = from + Math.min(portion, inputs - count);
    await runPortion(target, from, to);
    count += to - from;
  }
await worker?.terminate();
say(
  `${count.toLocaleString('en')} hostile inputs for ${names.length} readers (seed ${values.seed}): ${finds.length} finds; heap at most ${Math.round(memoryMb)} MB; ${Math.round((Date.now() - startedMs) / 1000)} s`,
);
process.exit(finds.length > 0 ? 1 : 0);
