// Throughput of the engine beside a bare undici loop: same connections, same server, same run. Bounded by time, seeded.
import { fork } from 'node:child_process';
import { createRequire } from 'node:module';
import { compile, HttpDriver, VirtualUser } from '../packages/engine/dist/index.js';
import { environment as environmentOf, script, step as stepOf, text } from './plans.mjs';

const require = createRequire(new URL('../packages/engine/dist/index.js', import.meta.url));
const { Client } = require('undici');
const seedrandom = require('seedrandom');

const connections = 16;
const sliceMs = 1500;
const rounds = 5;
const requestsPerIteration = 50;

const server = fork(new URL('./local-server.mjs', import.meta.url));
const port = await new Promise((done) => server.once('message', done));
const origin = `http://127.0.0.1:${port}`;
const environment = environmentOf(origin);
const step = (...given) => stepOf(origin, ...given);
const form = [{ name: 'Content-Type', value: text('application/x-www-form-urlencoded') }];

const plain = script(Array.from({ length: requestsPerIteration }, (_, index) => step(`s${index}`, 'GET', '/plain')));
// The same with code that does nothing before each fifth request, for what a run of the sandbox costs.
const coded = script(
  plain.transactions[0].steps.flatMap((one, index) =>
    index % 5 === 0 ? [{ kind: 'code', id: `j${index}`, name: 'nothing', source: '', timeMs: 100, memoryMb: 16 }, one] : [one],
  ),
);
// Five requests, again and again: a page with a form key, a JSON answer with an id, and three that send both and a data row.
const rich = script(
  Array.from({ length: requestsPerIteration }, (_, index) => {
    const turn = index % 5;
    if (turn === 0) return step(`s${index}`, 'GET', '/page');
    if (turn === 1) return step(`s${index}`, 'GET', '/json');
    return step(`s${index}`, 'POST', '/page', {
      url: [...text('/page?id='), { kind: 'handoff', handoff: 'h2', recorded: 'x' }],
      headers: form,
      body: [
        ...text('key='),
        { kind: 'wrap', encoding: 'form', recorded: 'x', pieces: [{ kind: 'handoff', handoff: 'h1', recorded: 'x' }] },
        ...text('&number='),
        { kind: 'data', table: 'd', column: 'number', recorded: 'x' },
      ],
    });
  }),
  [
    {
      id: 'h1',
      name: 'key',
      origin: 's0',
      extractor: { kind: 'field', name: 'key', nth: 0 },
      evidence: 'proven',
      reason: '',
      recorded: 'x',
    },
    {
      id: 'h2',
      name: 'id',
      origin: 's1',
      extractor: { kind: 'jsonpath', path: '$.id', pick: 'first' },
      evidence: 'proven',
      reason: '',
      recorded: 'x',
    },
  ],
);

/** Requests a second of a loop that runs for one slice. */
async function measure(loop) {
  let done = 0;
  const ends = performance.now() + sliceMs;
  const started = performance.now();
  const processor = process.cpuUsage();
  await Promise.all(
    Array.from({ length: connections }, (_, index) =>
      loop(
        index,
        () => performance.now() < ends,
        () => done++,
      ),
    ),
  );
  const used = process.cpuUsage(processor);
  return { perSecond: (done * 1000) / (performance.now() - started), microsEach: (used.user + used.system) / done };
}

async function bare(_index, goesOn, count) {
  const client = new Client(origin, { pipelining: 1 });
  while (goesOn()) {
    const answer = await client.request({ path: '/plain', method: 'GET', headers: { Accept: '*/*' } });
    await answer.body.dump();
    count();
  }
  await client.close();
}

/** The same with connections as the engine has them: a new visitor, who begins with a new one, after as many requests. */
async function bareVisitors(_index, goesOn, count) {
  while (goesOn()) {
    const client = new Client(origin, { pipelining: 1 });
    for (let at = 0; at < requestsPerIteration && goesOn(); at++) {
      const answer = await client.request({ path: '/plain', method: 'GET', headers: { Accept: '*/*' } });
      await answer.body.dump();
      count();
    }
    await client.destroy();
  }
}

const engine = (wanted) => async (index, goesOn, count) => {
  const driver = new HttpDriver({ refuses: () => null });
  const observer = {
    step: (played) => {
      if (played.failure) throw new Error(played.failure);
      count();
    },
    transaction: () => undefined,
  };
  const user = new VirtualUser(compile(wanted, environment), { http: driver }, seedrandom(`bench:${index}`), observer, {
    stopsNow: () => !goesOn(),
    pause: () => Promise.resolve(),
  });
  const rows = new Map([['d', new Map([['number', `n-${index}`]])]]);
  while (goesOn()) await user.iterate(rows, 'next-iteration');
  await driver.close();
};

const contestants = [
  ['bare undici loop', bare],
  [`bare undici loop, new connection every ${requestsPerIteration}`, bareVisitors],
  ['engine, plain requests', engine(plain)],
  ['engine, cookies + two handoffs + data row', engine(rich)],
  ['engine, plain, code before each 5th request', engine(coded)],
];
const results = contestants.map(() => []);
for (const [, loop] of contestants) await measure(loop);
for (let round = 0; round < rounds; round++) for (const [at, [, loop]] of contestants.entries()) results[at].push(await measure(loop));
server.kill();

const median = (values) => [...values].sort((left, right) => left - right)[Math.floor(values.length / 2)];
const base = median(results[0].map((one) => one.perSecond));
process.stdout.write(
  `Throughput, ${connections} connections, median of ${rounds} slices of ${sliceMs} ms, one core for client and one for server\n`,
);
for (const [at, [name]] of contestants.entries()) {
  const perSecond = median(results[at].map((one) => one.perSecond));
  const micros = median(results[at].map((one) => one.microsEach));
  process.stdout.write(
    `  ${name.padEnd(44)} ${Math.round(perSecond).toString().padStart(7)} requests/s  ${((100 * perSecond) / base).toFixed(0).padStart(4)} %  ${micros.toFixed(0).padStart(5)} µs processor time a request\n`,
  );
}
