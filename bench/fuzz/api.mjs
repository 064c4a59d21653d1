// Hostile requests to every operation of the API, made of its own OpenAPI document: no answer may be a 500, the server may not stand still, and what
// was stored before must be readable afterwards. usage: npm run fuzz:api -- [--requests 10000] [--seed 1] [--still 1000]. --still is how long the
// main thread may stand still, in ms, three times in a row for the same request; the fuzzer itself runs in it, and busy machines take their time. Exit status 1 for a find.
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { parseArgs } from 'node:util';
import seedrandom from 'seedrandom';
import { dataFolders, startServer } from '../../packages/server/dist/index.js';

const { values } = parseArgs({
  options: {
    requests: { type: 'string', default: '10000' },
    seed: { type: 'string', default: '1' },
    still: { type: 'string', default: '1000' },
  },
});
const random = seedrandom(`api ${values.seed}`);
const below = (most) => Math.floor(random() * most);
const pick = (list) => list[below(list.length)];
const say = (line) => process.stdout.write(`${line}\n`);

const target = createServer((_, answer) =>
  answer.setHeader('Content-Type', 'text/html').end('<title>Lot</title><input name=token value=q7Rt5x>'),
);
await new Promise((done) => target.listen(0, '127.0.0.1', done));
const targetOrigin = `http://127.0.0.1:${target.address().port}`;
const folder = mkdtempSync(join(tmpdir(), 'sturdy-fuzz-'));
// What goes wrong inside is written to the error output; it is shown with what was asked.
const faults = [];
const { write } = process.stderr;
process.stderr.write = (text) => (faults.push(String(text)), true);
const server = await startServer({
  port: 0,
  proxyPort: 0,
  store: { directory: join(folder, 'data') },
  ...dataFolders(folder),
  targets: [targetOrigin],
});
const ask = async (method, path, body, type = 'application/json') => {
  const answer = await fetch(`${server.origin}/api${path}`, {
    method,
    signal: AbortSignal.timeout(120_000),
    ...(body === undefined ? {} : { body, headers: { 'Content-Type': type } }),
  });
  return { status: answer.status, text: await answer.text() };
};
const asJson = ({ text }) => JSON.parse(text);

// Something of each kind is there, so that addresses lead somewhere.
const entry = (path) => ({
  startedDateTime: '2026-11-23T10:00:00.000Z',
  time: 5,
  request: { method: 'GET', url: targetOrigin + path, httpVersion: 'HTTP/1.1', headers: [] },
  response: {
    status: 200,
    statusText: 'OK',
    httpVersion: 'HTTP/1.1',
    headers: [{ name: 'Content-Type', value: 'text/html' }],
    content: { mimeType: 'text/html', size: 9, text: '<title>Lot</title><input name=token value=q7Rt5x>' },
  },
  timings: { send: 0, wait: 5, receive: 0 },
});
const project = '/projects/p1';
const har = JSON.stringify({ log: { version: '1.2', entries: [entry('/lots?lot=17'), entry('/lots?token=q7Rt5x')] } });
const seeded = async () => {
  const { take } = asJson(await ask('POST', `${project}/takes/import?name=Fuzz`, har));
  const script = asJson(await ask('POST', `/takes/${take.id}/script`, JSON.stringify({ name: 'Fuzz' })));
  const table = asJson(
    await ask(
      'POST',
      `${project}/tables/generate`,
      JSON.stringify({ name: 'Rows', columns: [{ kind: 'guid', name: 'id' }], count: 50, seed: 's' }),
    ),
  );
  const workload = asJson(
    await ask(
      'POST',
      `${project}/workloads`,
      JSON.stringify({
        name: 'W',
        generators: 1,
        seed: '1',
        criteria: [],
        crews: [],
        curve: { rampUpSeconds: 0, holdSeconds: 2, rampDownSeconds: 0, atEnd: 'now' },
      }),
    ),
  );
  return { takeId: take.id, scriptId: script.id, tableId: table.id, workloadId: workload.id, script, table, workload };
};
let known = await seeded();
const document = asJson(await ask('GET', '/openapi.json'));
/** They start browsers, open ports to the network, or load. */
const leftOut = /\/takes\/record$|\/record\/browser|\/workloads\/\{workloadId\}\/run$|\/live$/;
const operations = Object.entries(document.paths).flatMap(([path, methods]) =>
  leftOut.test(path) ? [] : Object.entries(methods).map(([method, operation]) => ({ path, method, operation })),
);

const hostile = [
  null, true, 0, -1, 1.5, 1e308, 2 ** 53, '', ' ', '\u0000', 'a\u0000b', '\ud83d', '\udc00x', '__proto__', 'constructor', '../../etc/passwd', '%FF', "'; drop table takes; --", '<script>x</script>',
  'x'.repeat(50_000), '😀'.repeat(300), '(a{1000}){1000}', '(', '$..[?count($..*)>1]', '=cmd()', '1970-01-01', 'http://127.0.0.1:1', [], {}, [[[[]]]], { __proto__: { x: 1 } }, { length: 1e9 },
]; // prettier-ignore

/** A value that fits a JSON Schema, with something hostile in it here and there. */
function made(schema, depth = 0) {
  if (schema === undefined || schema === true || depth > 7) return pick(hostile);
  if (random() < 0.04) return pick(hostile);
  if (schema.$ref) return pick([null, {}, known.script, []]);
  if (schema.const !== undefined) return schema.const;
  if (schema.enum) return pick(schema.enum);
  const choices = schema.anyOf ?? schema.oneOf;
  if (choices) return made(pick(choices), depth + 1);
  if (schema.allOf) return Object.assign({}, ...schema.allOf.map((one) => made(one, depth + 1)));
  const type = Array.isArray(schema.type) ? pick(schema.type) : schema.type;
  if (type === 'object') {
    const own = {};
    for (const [name, inner] of Object.entries(schema.properties ?? {}))
      if (schema.required?.includes(name) ? random() < 0.98 : random() < 0.6) own[name] = made(inner, depth + 1);
    if (schema.additionalProperties && typeof schema.additionalProperties === 'object')
      for (let more = below(3); more > 0; more--)
        own[pick(['a', 'b', '__proto__', '\u0000', '1'])] = made(schema.additionalProperties, depth + 1);
    return own;
  }
  if (type === 'array') return Array.from({ length: Math.max(schema.minItems ?? 0, below(3)) }, () => made(schema.items, depth + 1));
  if (type === 'integer' || type === 'number') return Math.max(schema.minimum ?? 0, Math.min(schema.maximum ?? 50, below(50)));
  if (type === 'boolean') return random() < 0.5;
  if (type === 'null') return null;
  return random() < 0.3
    ? pick(hostile.filter((one) => typeof one === 'string'))
    : pick(['id', 's1', '1', 'query:lot', 'GET', known.takeId, known.tableId, 'q7Rt5x']);
}
/** A body that is right but for one member: whole documents are seldom made of chance alone. */
function bent(whole) {
  const copy = structuredClone(whole);
  const places = [];
  const walk = (value) => {
    if (value === null || typeof value !== 'object') return;
    for (const key of Object.keys(value)) {
      places.push([value, key]);
      walk(value[key]);
    }
  };
  walk(copy);
  for (let changes = 1 + below(3); changes > 0 && places.length > 0; changes--) {
    const [owner, key] = pick(places);
    if (random() < 0.2) delete owner[key];
    else owner[key] = pick(hostile);
  }
  return copy;
}

const loop = monitorEventLoopDelay({ resolution: 10 });
loop.enable();
const finds = [];
const note = (what, asked) => {
  finds.push(what);
  if (finds.filter((one) => one === what).length <= 2) say(`  ${what}\n    ${asked.slice(0, 600)}`);
};
const byStatus = {};
const memoryBefore = process.memoryUsage.rss();
const longestStillMs = Number(values.still);
const startedMs = Date.now();
for (let count = 0; count < Number(values.requests); count++) {
  const { path, method, operation } = pick(operations);
  const address = path
    .replace('/api', '')
    .replace(/\{(\w+)\}/g, (_, name) =>
      random() < 0.8
        ? name === 'projectId'
          ? 'p1'
          : (known[name] ?? pick(['1', 's1', 'e1', 'x']))
        : encodeURIComponent(String(pick(hostile)).replace(/[\ud800-\udfff]/g, '') || 'x'),
    );
  const query = (operation.parameters ?? [])
    .filter((one) => one.in === 'query' && (one.required || random() < 0.5))
    .map(
      (one) =>
        `${one.name}=${random() < 0.7 ? encodeURIComponent(String(made(one.schema)).replace(/[\ud800-\udfff]/g, '')) : pick(['', '%FF', '%00', '-1', '1e400', 'NaN'])}`,
    );
  const content = operation.requestBody?.content;
  const [type] = Object.keys(content ?? {});
  const wholes = { '/api/scripts/{scriptId}': known.script, '/api/workloads/{workloadId}': known.workload };
  const whole = wholes[path] ?? (/forecast|dry-deal/.test(path) ? known.workload : undefined);
  let body;
  if (type === 'application/json') {
    const value = whole && random() < 0.7 ? bent(whole) : path.endsWith('/import') ? har : made(content[type].schema);
    body = random() < 0.02 ? pick(['{', '', '[[[', '\u0000', '{"a":1e999}']) : typeof value === 'string' ? value : JSON.stringify(value);
  } else if (type) body = pick([har, 'a,b\n1,2\n', '\u0000', '[{"a":1}]', 'PK\u0003\u0004x', '']);
  const place = `${address}${query.length > 0 ? `?${query.join('&')}` : ''}`;
  const asked = `${method.toUpperCase()} ${place} ${body ?? ''}`;
  loop.reset();
  faults.length = 0;
  try {
    const { status } = await ask(method.toUpperCase(), place, method === 'get' ? undefined : body, type);
    byStatus[status] = (byStatus[status] ?? 0) + 1;
    if (status >= 500)
      note(
        `${method.toUpperCase()} ${path}: ${status} ${faults
          .join(' ')
          .replace(/\s+/g, ' ')
          .slice(0, 260)
          .replace(/^\S+ fault \w+ \S+ \S+ /, '')}`,
        asked,
      );
  } catch (error) {
    note(`${method.toUpperCase()} ${path}: no answer (${error.cause?.message ?? error.message})`, asked);
  }
  // The same is asked twice more: on a machine that others use, one pause says nothing.
  const stills = [loop.max / 1e6];
  while (stills.length < 3 && Math.min(...stills) > longestStillMs) {
    await new Promise((done) => setTimeout(done, 100));
    loop.reset();
    await ask(method.toUpperCase(), place, method === 'get' ? undefined : body, type).catch(() => undefined);
    stills.push(loop.max / 1e6);
  }
  if (Math.min(...stills) > longestStillMs)
    note(`${method.toUpperCase()} ${path}: the main thread stood still for ${Math.round(Math.min(...stills))} ms, three times`, asked);
  // A project may be deleted in two steps, and both may come; all that follows is asked of this one, so it is had back after the first.
  if (method === 'put' && address === project)
    await ask('PUT', project, JSON.stringify({ name: 'Fuzzed', state: 'active' }), 'application/json');
  // What was deleted by a request is made anew, so that addresses go on leading somewhere.
  if (count % 200 === 199) {
    for (const list of [
      '/projects',
      `${project}/takes`,
      `${project}/scripts`,
      `${project}/tables`,
      `${project}/workloads`,
      `${project}/runs`,
      `${project}/board`,
    ]) {
      const { status, text } = await ask('GET', list);
      if (status !== 200) note(`${list} cannot be read any more: ${status} ${text.slice(0, 200)}`, asked);
    }
    try {
      known = await seeded();
    } catch (error) {
      note(`nothing can be made any more: ${error.message}`, asked);
    }
  }
}
const grownMb = (process.memoryUsage.rss() - memoryBefore) / 1e6;
await server.stop();
target.close();
process.stderr.write = write;
rmSync(folder, { recursive: true, force: true });
say(
  `${Number(values.requests).toLocaleString('en')} hostile requests to ${operations.length} operations (seed ${values.seed}): ${finds.length} finds (${new Set(finds).size} kinds); answers ${JSON.stringify(byStatus)}; memory grew by ${Math.round(grownMb)} MB; ${Math.round((Date.now() - startedMs) / 1000)} s`,
);
process.exit(finds.length > 0 ? 1 : 0);
