// The product is killed (SIGKILL) at seeded random moments in the middle of what it does, and started again on what is left. Each time it has
// to start by itself and hold all that it had told as stored, no row twice, and nothing half. usage: npm run kills -- [activity…] [--times 50]
// [--seed 1]. Without names all activities are tried. Exit status 1 where something was lost.
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { Agent, createServer, request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { PGlite } from '@electric-sql/pglite';
import seedrandom from 'seedrandom';
import { endServerProcess, startServerProcess } from './server-process.mjs';

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: { times: { type: 'string', default: '50' }, seed: { type: 'string', default: '1' } },
});
const random = seedrandom(values.seed);
const between = (least, most) => Math.round(least + random() * (most - least));
const say = (line) => process.stdout.write(`${line}\n`);
const wait = (ms) => new Promise((done) => setTimeout(done, ms));

// The target answers pages of random length and notes which rows it was sent.
const rowsSent = [];
const target = createServer((asked, answer) => {
  const row = new URL(asked.url, 'http://x').searchParams.get('row');
  if (row) rowsSent.push(row);
  answer.setHeader('Content-Type', 'text/html').end(`<title>Lot</title>${'<p>lot'.repeat(between(10, 4000))}`);
});
await new Promise((done) => target.listen(0, '127.0.0.1', done));
const targetOrigin = `http://127.0.0.1:${target.address().port}`;

const data = mkdtempSync(join(tmpdir(), 'sturdy-kills-'));
const samplesFolder = join(data, 'd', 'samples');
let child = null;
let origin = '';

async function start() {
  const startedMs = performance.now();
  ({ child, origin } = await startServerProcess(join(data, 'd'), ['--target', targetOrigin]));
  return performance.now() - startedMs;
}
const kill = () => endServerProcess(child, 'SIGKILL');

async function ask(method, path, body) {
  const answer = await fetch(`${origin}/api${path}`, {
    method,
    ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } }),
  });
  const read = await answer.text();
  if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${read.slice(0, 300)}`);
  return read === '' ? null : JSON.parse(read);
}
const upload = (path, text) =>
  fetch(`${origin}/api${path}`, { method: 'POST', body: text, headers: { 'Content-Type': 'application/octet-stream' } });

/** Asks the target through the recording proxy. */
function askThrough(proxy, path, agent) {
  const { hostname, port } = new URL(proxy);
  return new Promise((done, failed) => {
    request({ hostname, port, path: targetOrigin + path, headers: { Host: new URL(targetOrigin).host }, agent }, (answer) => {
      answer.on('end', done).on('error', failed).resume();
    })
      .on('error', failed)
      .end();
  });
}

/** The HAR of a flow of so many pages. */
const harOf = (pages) =>
  JSON.stringify({
    log: {
      version: '1.2',
      creator: { name: 'kills', version: '1' },
      entries: Array.from({ length: pages }, (_, at) => ({
        startedDateTime: new Date(Date.UTC(2026, 10, 23, 10) + at * 100).toISOString(),
        time: 5,
        request: { method: 'GET', url: `${targetOrigin}/lots?row=r${at}`, httpVersion: 'HTTP/1.1', headers: [] },
        response: {
          status: 200,
          statusText: 'OK',
          httpVersion: 'HTTP/1.1',
          headers: [{ name: 'Content-Type', value: 'text/html' }],
          content: { mimeType: 'text/html', size: 9, text: `<title>Lot</title>${`<p>page ${at}`.repeat(400)}` },
        },
        timings: { send: 0, wait: 5, receive: 0 },
      })),
    },
  });

const must = (holds, sentence) => {
  if (!holds) throw new Error(sentence);
};
const project = '/projects/p1';
/** A script of three steps that sends a row of a table, and a workload that plays it; made once. */
let flow = null;
async function makeFlow() {
  if (flow) return flow;
  const { take } = await (await upload(`${project}/takes/import?name=Flow`, harOf(3))).json();
  const script = await ask('POST', `/takes/${take.id}/script`, { name: 'Flow' });
  const table = await ask('POST', `${project}/tables/generate`, {
    name: 'Rows',
    columns: [{ kind: 'sequence', name: 'row', start: 1, step: 1, width: 6 }],
    count: 50_000,
    seed: 'kills',
  });
  const step = script.transactions.flatMap((one) => one.steps).find((one) => one.kind === 'request');
  await ask('POST', `/scripts/${script.id}/bind`, {
    value: 'r0',
    places: [{ step: step.id, place: 'query:row' }],
    table: table.id,
    column: 'row',
  });
  const workload = await ask('POST', `${project}/workloads`, {
    name: 'W',
    generators: 2,
    seed: '1',
    criteria: [],
    crews: [
      {
        id: 'c1',
        name: 'C',
        scriptId: script.id,
        users: 6,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing: { kind: 'start-to-start', seconds: 0.3 },
        onFailure: 'next-iteration',
      },
    ],
    curve: { rampUpSeconds: 0, holdSeconds: 60, rampDownSeconds: 0, atEnd: 'iteration' },
  });
  flow = { take, script, table, workload };
  return flow;
}

/**
 * What it does when it is killed: `begin` starts something and gives what ends it; `check` looks at what is left after the next start and throws
 * a sentence where something is missing.
 */
const activities = {
  recording: {
    killAfterMs: [200, 2500],
    begin: async () => {
      const { take, proxy } = await ask('POST', `${project}/takes/record`, { name: 'Killed' });
      const agent = new Agent({ keepAlive: true });
      const state = { take, counted: 0, ended: false };
      const play = async () => {
        for (let at = 0; !state.ended; at++) await askThrough(proxy, `/lots?page=${at}`, agent);
      };
      const look = async () => {
        while (!state.ended) {
          state.counted = (await ask('GET', '/live')).recording?.exchangeCount ?? state.counted;
          await wait(5);
        }
      };
      state.playing = [play(), play(), look()].map((one) => one.catch(() => undefined));
      return state;
    },
    check: async (state) => {
      const { take, exchanges } = await ask('GET', `/takes/${state.take.id}`);
      must(take.state === 'done', `the take is ${take.state}`);
      must(exchanges.length >= state.counted, `${state.counted} exchanges were counted, ${exchanges.length} are there`);
      for (const { response } of exchanges.slice(-3))
        if (response?.body) must((await fetch(`${origin}/api/bodies/${response.body.hash}`)).ok, 'a body is missing');
      await ask('DELETE', `/takes/${take.id}`);
      return `${state.counted} counted`;
    },
  },
  'HAR import': {
    killAfterMs: [20, 3500],
    begin: async () => {
      const name = `Imported ${between(1, 1e9)}`;
      const state = { name, told: false };
      state.playing = [
        upload(`${project}/takes/import?name=${encodeURIComponent(name)}`, harOf(1500)).then((answer) => {
          state.told = answer.ok;
        }),
      ].map((one) => one.catch(() => undefined));
      return state;
    },
    check: async ({ name, told }) => {
      const take = (await ask('GET', `${project}/takes`)).find((one) => one.name === name);
      must(take || !told, 'an import that was told as done is gone');
      if (!take) return 'nothing';
      const { exchanges } = await ask('GET', `/takes/${take.id}`);
      must(exchanges.length === 1500, `${exchanges.length} of 1500 exchanges are there`);
      await ask('DELETE', `/takes/${take.id}`);
      return 'whole';
    },
  },
  'table import': {
    killAfterMs: [20, 2500],
    begin: async () => {
      const name = `T ${between(1, 1e9)}`;
      const state = { name, told: false };
      const csv = `n,name\n${Array.from({ length: 40_000 }, (_, at) => `${at},row ${at}`).join('\n')}\n`;
      state.playing = [
        upload(`${project}/tables/import?name=${encodeURIComponent(name)}`, csv).then((answer) => {
          state.told = answer.ok;
        }),
      ].map((one) => one.catch(() => undefined));
      return state;
    },
    check: async ({ name, told }) => {
      const table = (await ask('GET', `${project}/tables`)).find((one) => one.name === name);
      must(table || !told, 'an import that was told as done is gone');
      must(!table || table.rowCount === 40_000, `${table?.rowCount} of 40,000 rows are there`);
      if (table) await ask('DELETE', `/tables/${table.id}`);
      return table ? 'whole' : 'nothing';
    },
  },
  rehearsal: {
    killAfterMs: [10, 1500],
    begin: async () => {
      const { script } = await makeFlow();
      const state = { done: [], ended: false };
      const play = async () => {
        while (!state.ended) state.done.push((await ask('POST', `/scripts/${script.id}/rehearse`, {})).id);
      };
      state.playing = [play().catch(() => undefined)];
      return state;
    },
    check: async ({ done }) => {
      const { script } = await makeFlow();
      for (const id of done) must((await ask('GET', `/rehearsals/${id}`)).steps.length === 3, 'a rehearsal is not whole');
      must((await ask('POST', `/scripts/${script.id}/rehearse`, {})).verdict === 'passed', 'the next rehearsal does not pass');
      return `${done.length} done`;
    },
  },
  run: {
    killAfterMs: [200, 3500],
    begin: async () => {
      const { workload } = await makeFlow();
      return { run: await ask('POST', `/workloads/${workload.id}/run`), playing: [] };
    },
    check: async ({ run }) => {
      const { run: now } = await ask('GET', `/runs/${run.id}`);
      must(now.state === 'interrupted', `the run is ${now.state}`);
      must(now.note !== '', 'it does not say what happened');
      return 'interrupted';
    },
  },
  'table change': {
    killAfterMs: [20, 800],
    begin: async () => {
      const { table } = await makeFlow();
      const state = { last: 0, ended: false };
      const play = async () => {
        for (let n = between(1, 1e6); !state.ended; n++) {
          await ask('POST', `/tables/${table.id}/changes`, { kind: 'set-cells', cells: [{ row: 50_000, column: 0, text: `v${n}` }] });
          state.last = n;
        }
      };
      state.playing = [play().catch(() => undefined)];
      return state;
    },
    check: async ({ last }) => {
      const { table } = await makeFlow();
      const [row] = await ask('GET', `/tables/${table.id}/rows?from=50000&count=1`);
      const now = Number(row.values[0].replace('v', ''));
      must(last === 0 || now === last || now === last + 1, `the cell is ${row.values[0]}, and v${last} was told as stored`);
      const versions = await ask('GET', `/tables/${table.id}/versions`);
      must(new Set(versions.map((one) => one.number)).size === versions.length, 'a version stands twice');
      return 'the last one';
    },
  },
  'project import': {
    killAfterMs: [20, 14_000],
    begin: async () => {
      const name = `Project ${between(1, 1e9)}`;
      const state = { name, told: false };
      state.playing = [
        upload(`/projects/import?name=${encodeURIComponent(name)}`, readFileSync('demo/tidewell.zip')).then((answer) => {
          state.told = answer.ok;
        }),
      ].map((one) => one.catch(() => undefined));
      return state;
    },
    check: async ({ name, told }) => {
      const summaries = await ask('GET', '/projects');
      const summary = summaries.find((one) => one.name === name);
      must(summary || !told, 'an import that was told as done is gone');
      must(summaries.length === (summary ? 2 : 1), `there are ${summaries.length} projects`);
      if (!summary) {
        must(!existsSync(samplesFolder) || readdirSync(samplesFolder).length === 0, 'samples are left');
        return 'nothing';
      }
      must(summary.takes === 6 && summary.runs === 4, `${summary.takes} takes and ${summary.runs} runs are there`);
      await ask('PUT', `/projects/${summary.id}`, { name, state: 'deleted' });
      await ask('DELETE', `/projects/${summary.id}`);
      return 'whole';
    },
  },
  export: {
    killAfterMs: [5, 400],
    begin: async () => {
      const { take, table } = await makeFlow();
      const asked = [`${project}/export`, `/takes/${take.id}/har`, `/tables/${table.id}/rows.csv`, `/tables/${table.id}/rows.xlsx`].map(
        (path) => fetch(`${origin}/api${path}`).then((answer) => answer.arrayBuffer()),
      );
      return { playing: asked.map((one) => one.catch(() => undefined)) };
    },
    check: async () => {
      const { take } = await makeFlow();
      must((await ask('GET', `/takes/${take.id}`)).exchanges.length === 3, 'the take is not whole');
      return 'whole';
    },
  },
};

const wanted = positionals.length > 0 ? positionals : Object.keys(activities);
for (const one of wanted)
  if (!activities[one]) {
    say(`There is no activity “${one}”. Name some of: ${Object.keys(activities).join(', ')}.`);
    process.exit(2);
  }
let lost = 0;
/** Uploads of servers that live no more; other servers of this machine may be at work. */
const leftUploads = () =>
  readdirSync(tmpdir()).filter((one) => {
    const pid = /^sturdy-upload-(\d+)-/.exec(one)?.[1];
    return pid !== undefined && !existsSync(`/proc/${pid}`);
  }).length;
const uploadsBefore = leftUploads();
await start();
for (const name of wanted) {
  const { killAfterMs, begin, check } = activities[name];
  let good = 0;
  const seen = {};
  const startsMs = [];
  for (let time = 0; time < Number(values.times); time++) {
    let state;
    try {
      state = await begin();
      await wait(between(...killAfterMs));
      await kill();
      state.ended = true;
      await Promise.all(state.playing);
      startsMs.push(await start());
      const told = (await check(state)).replace(/\d+/, (count) => (count === '0' ? 'none' : 'some'));
      seen[told] = (seen[told] ?? 0) + 1;
      must(leftUploads() <= uploadsBefore, 'an upload is left in the temporary folder');
      good++;
    } catch (error) {
      lost++;
      say(`  ${name}, kill ${time + 1}: ${error.message}`);
      if (child.exitCode === null && child.signalCode === null) await kill();
      await start();
    }
  }
  startsMs.sort((left, right) => left - right);
  const found = Object.entries(seen)
    .map(([what, count]) => `${count} × ${what}`)
    .join(', ');
  say(
    `${name.padEnd(14)} ${good} of ${values.times} kills left nothing lost or half (${found}); the next start took ${((startsMs[startsMs.length >> 1] ?? 0) / 1000).toFixed(1)} s in the median`,
  );
}
const twice = rowsSent.filter((row, at) => /^\d{6}$/.test(row) && rowsSent.indexOf(row) !== at);
say(`rows that the target was sent twice: ${twice.length}`);
await endServerProcess(child, 'SIGTERM');

// What the interface does not show: rows that belong to nothing.
const database = await PGlite.create(join(data, 'd', 'pg'));
const count = async (query) => Number((await database.query(query)).rows[0].count);
const orphans = [
  ['exchanges', await count('select count(*) from exchanges where take_id not in (select id from takes)')],
  ['table rows', await count('select count(*) from data_rows where table_id not in (select id from data_tables)')],
  ['frames', await count('select count(*) from frames where run_id not in (select id from runs)')],
  ['rehearsals', await count('select count(*) from rehearsals where script_id not in (select id from scripts)')],
];
await database.close();
for (const [what, count] of orphans) say(`${what} that belong to nothing: ${count}`);
rmSync(data, { recursive: true, force: true });
target.close();
process.exit(lost > 0 || twice.length > 0 || orphans.some(([, count]) => count > 0) ? 1 : 0);
