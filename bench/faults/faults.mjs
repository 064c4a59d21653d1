// Faults on purpose: while the product records, imports and runs, its disk is full, read-only or slow, its clock jumps, and its database server is
// restarted, refuses or hangs, and comes back. Afterwards everything that was told as stored has to be there, the run has to end with all its
// figures, and the interface has to have said what was the matter. usage: npm run faults -- [fault…]. Exit status 1 where something was lost.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, createServer, request } from 'node:http';
import { createServer as createTcpServer, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { asking, serve, workloadOf } from '../product.mjs';
import { startPostgres } from './postgres.mjs';

const say = (line) => process.stdout.write(`${line}\n`);
const wait = (ms) => new Promise((done) => setTimeout(done, ms));
const must = (holds, sentence) => {
  if (!holds) throw new Error(sentence);
};

let sent = 0;
const target = createServer((asked, answer) => {
  if (asked.url.startsWith('/page')) sent++;
  answer.setHeader('Content-Type', 'text/html').end('<title>Lot</title><p>good</p>');
});
await new Promise((done) => target.listen(0, '127.0.0.1', done));
const origin = `http://127.0.0.1:${target.address().port}`;
const port = 4900 + Math.floor(Math.random() * 90);

/** A door before the database that can be shut, and one that lets nothing pass. */
async function gateBefore(address) {
  let state = 'open';
  const sockets = new Set();
  const server = createTcpServer((client) => {
    if (state === 'shut') return client.resetAndDestroy();
    const database = connect(Number(new URL(address).port), '127.0.0.1');
    for (const [from, to] of [
      [client, database],
      [database, client],
    ]) {
      sockets.add(from);
      from.on('data', (bytes) => state === 'open' && to.write(bytes));
      from.on('error', () => to.destroy());
      from.on('close', () => to.destroy());
    }
  });
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const url = new URL(address);
  url.port = server.address().port;
  return {
    url: url.href,
    set: (next) => {
      state = next;
      if (next === 'shut') for (const one of sockets) one.destroy();
    },
  };
}

const disk = () => {
  const folder = mkdtempSync(join(tmpdir(), 'sturdy-faults-'));
  execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=600m', 'tmpfs', folder]);
  return {
    folder,
    fill: () => {
      const left = Number(execFileSync('df', ['-B1', '--output=avail', folder]).toString().split('\n')[1]);
      execFileSync('fallocate', ['-l', String(left - 4096), join(folder, 'filler')]);
    },
    empty: () => rmSync(join(folder, 'filler'), { force: true }),
    remove: () => {
      execFileSync('umount', ['-l', folder]);
      rmSync(folder, { recursive: true, force: true });
    },
  };
};

/** A database behind a door that is shut, or lets nothing pass, for so long. */
async function behindGate(state, longMs) {
  const server = await startPostgres();
  const gate = await gateBefore(server.url);
  return {
    env: { DATABASE_URL: gate.url },
    come: () => gate.set(state),
    go: () => gate.set('open'),
    longMs,
    told: 'databaseAway',
    close: server.stop,
  };
}

/** Each fault: what the product is started with, and how the fault comes and goes. */
const faults = {
  'database restarted': async () => {
    const server = await startPostgres();
    return { env: { DATABASE_URL: server.url }, come: () => server.restart(), go: () => undefined, close: server.stop };
  },
  'database refuses': () => behindGate('shut'),
  // A query is taken for one that never ends after a minute.
  'database hangs': () => behindGate('hanging', 75_000),
  'disk full': async () => {
    const own = disk();
    return { folder: own.folder, come: own.fill, go: own.empty, close: own.remove };
  },
  'disk read-only': async (set) => ({ come: () => set('read-only'), go: () => set('') }),
  'disk slow': async (set) => ({ come: () => set('slow'), go: () => set(''), longMs: 6000 }),
  'clock one hour on': async (set) => ({ come: () => set('clock 3600'), go: () => set('') }),
  'clock one hour back': async (set) => ({ come: () => set('clock -3600'), go: () => set('') }),
};

const harOf = (pages) =>
  JSON.stringify({
    log: {
      version: '1.2',
      entries: Array.from({ length: pages }, (_, at) => ({
        startedDateTime: new Date(Date.UTC(2026, 10, 23, 10) + at * 100).toISOString(),
        time: 5,
        request: { method: 'GET', url: `${origin}/lot?n=${at}`, httpVersion: 'HTTP/1.1', headers: [] },
        response: {
          status: 200,
          httpVersion: 'HTTP/1.1',
          headers: [],
          content: { mimeType: 'text/html', text: `<p>lot ${at}`.repeat(40) },
        },
      })),
    },
  });

async function tryFault(name) {
  const control = join(mkdtempSync(join(tmpdir(), 'sturdy-faults-')), 'control');
  const set = (text) => writeFileSync(control, text);
  set('');
  const fault = await faults[name](set);
  const data = fault.folder ? join(fault.folder, 'd') : mkdtempSync(join(tmpdir(), 'sturdy-faults-'));
  const env = { ...process.env, FAULTS_CONTROL: control, FAULTS_FOLDER: data, ...fault.env };
  const product = await serve(port, data, origin, {
    nodeArguments: ['--import', fileURLToPath(new URL('./inject.mjs', import.meta.url))],
    env,
  });
  const ask = asking(port);
  const told = new Set();
  try {
    const workload = await workloadOf(ask, origin, ['/page'], {
      users: 4,
      everySeconds: 0.5,
      curve: { rampUpSeconds: 0, holdSeconds: 20 },
    });
    const { take, proxy } = await ask('POST', '/projects/p1/takes/record', { name: 'Recorded' });
    const agent = new Agent({ keepAlive: true });
    const askThrough = (n) =>
      new Promise((done, failed) => {
        const { hostname, port: at } = new URL(proxy);
        request({ hostname, port: at, path: `${origin}/recorded?n=${n}`, headers: { Host: new URL(origin).host }, agent }, (answer) =>
          answer.on('end', done).resume(),
        )
          .on('error', failed)
          .end();
      });
    let asked = 0;
    let recording = true;
    const robot = (async () => {
      while (recording) {
        await askThrough(++asked);
        await wait(20);
      }
    })();
    // Where the rest fails, nobody waits for it.
    robot.catch(() => undefined);
    const run = await ask('POST', `/workloads/${workload.id}/run`);
    const before = sent;
    await wait(2000);
    const importing = ask('POST', '/projects/p1/takes/import?name=Imported', harOf(3000)).then(
      (done) => done.take.id,
      (error) => error.message,
    );
    await wait(100);
    await fault.come();
    const looks = (async () => {
      const untilMs = performance.now() + (fault.longMs ?? 3500);
      while (performance.now() < untilMs) {
        const live = await ask('GET', '/live').catch(() => ({}));
        if (live.databaseAway) told.add('databaseAway');
        for (const one of live.recording?.warnings ?? []) told.add(one.kind);
        await wait(200);
      }
    })();
    await looks;
    await fault.go();
    await wait(2500);
    recording = false;
    await robot;
    const imported = await importing;
    let stopped = await ask('POST', '/takes/record/stop').catch((error) => error);
    // A moment later, where the database needed one.
    for (let again = 0; again < 20 && stopped instanceof Error; again++) {
      await wait(1000);
      stopped = await ask('POST', '/takes/record/stop').catch((error) => error);
    }
    must(!(stopped instanceof Error), `the recording could not be stopped: ${stopped.message}`);
    const { exchanges, take: kept } = await ask('GET', `/takes/${take.id}`);
    must(kept.state === 'done', `the take is ${kept.state}`);
    must(exchanges.length === asked, `${asked} requests were recorded, ${exchanges.length} are there`);
    const takes = await ask('GET', '/projects/p1/takes');
    const own = takes.filter((one) => one.name === 'Imported');
    if (own.length > 0) must(own[0].exchangeCount === 3000, `the import has ${own[0].exchangeCount} of 3000 exchanges`);
    else must(/room|written|disk|stored|answer/i.test(imported), `the import failed without a reason that helps: ${imported}`);
    let state = '';
    for (let look = 0; look < 60 && !/done|passed|finished|ended|failed/.test(state); look++) {
      state = (await ask('GET', `/runs/${run.id}`)).run.state;
      await wait(500);
    }
    const { run: ended } = await ask('GET', `/runs/${run.id}`);
    must(ended.endedAt, `the run is ${ended.state}`);
    // The figures of a run are those of its hold; the lanes have every second of it, with what ended after the hold too.
    const counted = (await ask('GET', `/runs/${run.id}/lanes`)).reduce((sum, one) => sum + one.perSecond, 0);
    const onTheWire = sent - before;
    must(counted === onTheWire, `the target was asked ${onTheWire} times, the run counted ${counted}`);
    if (fault.told) must(told.has(fault.told), 'the interface did not say that the database is away');
    say(
      `${name.padEnd(20)} ${exchanges.length} recorded, ${own.length > 0 ? '3000 imported' : `import refused (${imported.slice(0, 60)}…)`}, ${counted} counted in the run; told meanwhile: ${[...told].join(', ') || 'nothing'}`,
    );
    return true;
  } catch (error) {
    say(`${name.padEnd(20)} LOST: ${error.message}`);
    return false;
  } finally {
    set('');
    await product.stop();
    await fault.close?.();
    rmSync(data, { recursive: true, force: true });
  }
}

const wanted = process.argv.slice(2);
let lost = 0;
for (const name of wanted.length > 0 ? wanted : Object.keys(faults)) if (!(await tryFault(name))) lost++;
target.close();
process.exit(lost > 0 ? 1 : 0);
