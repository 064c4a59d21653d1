// Many virtual users in one generator, and what it measures beside what the server knows. Bounded by its curves, seeded.
import { fork } from 'node:child_process';
import { createRequire } from 'node:module';
import { Worker } from 'node:worker_threads';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { Tally } from '../packages/core/dist/index.js';
import {
  compile,
  generatorLimits,
  generatorWorkerFile,
  HttpDriver,
  Link,
  planMessages,
  VirtualUser,
} from '../packages/engine/dist/index.js';
import { environment, planOf, script, step } from './plans.mjs';

const { Client } = createRequire(new URL('../packages/engine/dist/index.js', import.meta.url))('undici');

const server = fork(new URL('./serve-users.mjs', import.meta.url));
const port = await new Promise((done) => server.once('message', done));
const origin = `http://127.0.0.1:${port}`;
const mb = (bytes) => `${Math.round(bytes / (1 << 20))} MiB`;

/** Plays a plan in a worker thread, as a run does; gives its frames, and the most memory and processor time that this process took. */
async function play(plan) {
  const identity = { run: plan.runId, generator: plan.generator };
  const worker = new Worker(generatorWorkerFile, { workerData: identity, resourceLimits: generatorLimits });
  const frames = [];
  let most = 0;
  const watch = setInterval(() => (most = Math.max(most, process.memoryUsage.rss())), 500);
  let used = null;
  await new Promise((done) => {
    const receive = (message) => {
      if (message.kind === 'ready') link.send({ kind: 'start', atMs: performance.timeOrigin + performance.now() });
      if (message.kind === 'frame') {
        frames.push(message.frame);
        if (message.frame.second === 40) used = { processor: process.cpuUsage(), at: performance.now() };
      }
      if (message.kind !== 'ended') return;
      link.close();
      done();
    };
    const link = new Link(identity, (envelope) => worker.postMessage(envelope), receive);
    worker.on('message', (envelope) => link.receive(envelope));
    for (const message of planMessages(plan)) link.send(message);
  });
  const processor = used && process.cpuUsage(used.processor);
  const share = used ? (processor.user + processor.system) / 1000 / (performance.now() - used.at) : 0;
  clearInterval(watch);
  await worker.terminate();
  return { frames, most, share };
}

const users = 10_000;
const before = process.memoryUsage.rss();
const ramp = { kind: 'ramp', together: 1, rampUpSeconds: 35, holdSeconds: 45, rampDownSeconds: 0, atEnd: 'iteration' };
const { frames, most, share } = await play(
  planOf(origin, [step(origin, 's1', 'GET', '/')], users, ramp, { kind: 'start-to-start', seconds: 30 }),
);
const late = new Tally();
const answers = new Tally();
for (const frame of frames.filter((one) => one.second >= 40)) {
  if (frame.lateness) late.merge(Tally.from(frame.lateness));
  for (const item of frame.items) if (item.step === null) answers.merge(Tally.from(item.tally));
}
process.stdout.write(
  `${users.toLocaleString('en')} virtual users that start every 30 s, one generator, each with a connection of its own
  memory at most ${mb(most)} (${mb(before)} before), processor ${(100 * share).toFixed(0)} % of one core
  starts late: p50 ${late.percentile(50).toFixed(2)} ms, p99 ${late.percentile(99).toFixed(2)} ms, worst ${late.max.toFixed(1)} ms, of ${late.count.toLocaleString('en')}
  failed: ${answers.errors} of ${answers.count.toLocaleString('en')}
`,
);

/** How much longer than the server knows an answer took, over so many users for 5 s once they are warm. */
async function difference(count, waitMs) {
  const tally = new Tally();
  const loop = monitorEventLoopDelay({ resolution: 5 });
  loop.enable();
  // The first second is left out, in which code is still being compiled.
  const begins = performance.now() + 1000;
  const ends = begins + 5000;
  await Promise.all(
    Array.from({ length: count }, async () => {
      const driver = new HttpDriver({ refuses: () => null });
      const observer = {
        step: ({ outcome: { observation: response } }) => {
          const took = response.headers.find(([name]) => name.toLowerCase() === 'took')?.[1];
          // A new connection is the user's own time; the server knows nothing of it.
          if (response.timings.connect < 0 && performance.now() >= begins) tally.add(Math.max(0, response.durationMs - Number(took)), true);
        },
        transaction: () => undefined,
      };
      const program = compile(script([step(origin, 's1', 'GET', `/?ms=${waitMs}`)]), environment(origin));
      const user = new VirtualUser(program, { http: driver }, Math.random, observer, {
        stopsNow: () => performance.now() >= ends,
        pause: () => Promise.resolve(),
      });
      // Kept connections, so that the way is measured and not the opening of it.
      driver.reset = () => Promise.resolve();
      while (performance.now() < ends) await user.iterate(new Map(), 'next-iteration');
      await driver.close();
    }),
  );
  loop.disable();
  return { tally, loopMs: loop.max / 1e6 };
}
/** The same with nothing but the HTTP client: what the machine itself adds. */
async function bareDifference(count, waitMs) {
  const tally = new Tally();
  const begins = performance.now() + 1000;
  const ends = begins + 5000;
  await Promise.all(
    Array.from({ length: count }, async () => {
      const client = new Client(origin, { pipelining: 1 });
      while (performance.now() < ends) {
        const started = performance.now();
        const { headers, body } = await client.request({ path: `/?ms=${waitMs}`, method: 'GET', headers: { Accept: '*/*' } });
        await body.dump();
        const took = performance.now() - started - Number(headers.took);
        if (performance.now() >= begins) tally.add(Math.max(0, took), true);
      }
      await client.close();
    }),
  );
  return tally;
}

process.stdout.write('Measured beside what the server knows it took\n');
for (const [count, waitMs] of [
  [4, 20],
  [20, 20],
  [200, 0],
]) {
  const bare = await bareDifference(count, waitMs);
  const { tally, loopMs } = await difference(count, waitMs);
  process.stdout.write(
    `  ${String(count).padStart(3)} users, ${waitMs} ms each: ${tally.count.toLocaleString('en')} answers, longer by ${tally.percentile(50).toFixed(2)} ms (p50), ${tally.percentile(99).toFixed(2)} ms (p99); a bare client ${bare.percentile(50).toFixed(2)} and ${bare.percentile(99).toFixed(2)} ms; event loop late by ${loopMs.toFixed(0)} ms at worst\n`,
  );
}
server.kill();
