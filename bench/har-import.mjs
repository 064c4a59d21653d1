// Importing HAR files: time, the memory of the whole product at most and before, and the time until the take is looked over, for a
// small and a large file in one run.
import { createWriteStream, createReadStream, mkdtempSync, rmSync, statSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { once } from 'node:events';
import { startServer } from '../packages/server/dist/index.js';

const sizesMb = [20, 200];
const folder = mkdtempSync(join(tmpdir(), 'sturdy-bench-'));
const server = await startServer({
  samplesFolder: join(folder, 'samples'),
  port: 0,
  proxyPort: 0,
  store: { directory: join(folder, 'data') },
  recorderFolder: join(folder, 'recorder'),
  secretsFolder: join(folder, 'secrets'),
  logFolder: join(folder, 'log'),
});

/** Pages of about 9 kB, each different, so that no body is stored twice. */
const entry = (n) =>
  JSON.stringify({
    startedDateTime: new Date(Date.UTC(2026, 10, 23, 10) + n * 20).toISOString(),
    time: 12,
    request: {
      method: 'GET',
      url: `http://127.0.0.1:1/intakes/${n}`,
      httpVersion: 'HTTP/1.1',
      headers: [{ name: 'Accept', value: 'text/html' }],
    },
    response: {
      status: 200,
      statusText: 'OK',
      httpVersion: 'HTTP/1.1',
      headers: [{ name: 'Content-Type', value: 'text/html' }],
      content: { mimeType: 'text/html', size: 9000, text: `<title>Intake ${n}</title>${`<p>row ${n} `.repeat(700)}` },
    },
    timings: { send: 0, wait: 10, receive: 2 },
  });

async function writeHar(file, megabytes) {
  const out = createWriteStream(file);
  out.write('{"log":{"version":"1.2","creator":{"name":"bench","version":"1"},"entries":[');
  let bytes = 0;
  let count = 0;
  for (; bytes < megabytes * 1e6; count++) {
    const text = (count > 0 ? ',' : '') + entry(count);
    bytes += text.length;
    if (!out.write(text)) await once(out, 'drain');
  }
  out.end(']}}');
  await once(out, 'close');
  return count;
}

process.stdout.write('Importing a HAR file, streamed\n');
for (const megabytes of sizesMb) {
  const file = join(folder, 'large.har');
  const count = await writeHar(file, megabytes);
  const resting = process.memoryUsage.rss();
  let highest = resting;
  const watch = setInterval(() => (highest = Math.max(highest, process.memoryUsage.rss())), 50);
  let worstAnswerMs = 0;
  const probe = setInterval(() => {
    const asked = performance.now();
    void fetch(`${server.origin}/api/live`).then(() => (worstAnswerMs = Math.max(worstAnswerMs, performance.now() - asked)));
  }, 250);
  const started = performance.now();
  const result = await new Promise((done, failed) => {
    const upload = request(
      `${server.origin}/api/projects/p1/takes/import?name=bench`,
      { method: 'POST', headers: { 'Content-Length': statSync(file).size } },
      async (answer) => {
        let text = '';
        for await (const chunk of answer) text += chunk;
        done(JSON.parse(text));
      },
    );
    upload.on('error', failed);
    createReadStream(file).pipe(upload);
  });
  const seconds = (performance.now() - started) / 1000;
  clearInterval(watch);
  clearInterval(probe);
  if (result.exchangeCount !== count) throw new Error(`${result.exchangeCount} of ${count} came in: ${result.detail ?? ''}`);
  const looking = performance.now();
  await (await fetch(`${server.origin}/api/takes/${result.take.id}/survey`)).text();
  const surveySeconds = (performance.now() - looking) / 1000;
  process.stdout.write(
    `  ${String(megabytes).padStart(4)} MB  ${String(count).padStart(6)} exchanges  ${seconds.toFixed(1).padStart(6)} s  memory ${(highest / 1e6).toFixed(0).padStart(5)} MB at most, ${(resting / 1e6).toFixed(0)} MB before  slowest other answer ${worstAnswerMs.toFixed(0)} ms  looked over in ${surveySeconds.toFixed(1)} s\n`,
  );
}
await server.stop();
rmSync(folder, { recursive: true, force: true });
process.exit();
