// Large files for the product, how they are uploaded, and what that takes.
import { createReadStream, createWriteStream, statSync } from 'node:fs';
import { request } from 'node:http';
import { once } from 'node:events';

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

/** Writes a HAR file of about so many megabytes; resolves with how many entries it has. */
export async function writeHar(file, megabytes) {
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

/** Uploads a file; resolves with what the server answers. */
export function upload(address, file) {
  return new Promise((done, failed) => {
    const sending = request(address, { method: 'POST', headers: { 'Content-Length': statSync(file).size } }, async (answer) => {
      let text = '';
      for await (const chunk of answer) text += chunk;
      done(JSON.parse(text));
    });
    sending.on('error', failed);
    createReadStream(file).pipe(sending);
  });
}

/**
 * Does some work; resolves with what it gave, how long it took, the memory at most and before, in bytes (`memory` reads it: that of this process where it is not
 * given), and the slowest other answer.
 */
export async function watched(origin, work, memory = process.memoryUsage.rss) {
  const resting = memory();
  let highest = resting;
  const watch = setInterval(() => (highest = Math.max(highest, memory())), 50);
  let worstAnswerMs = 0;
  const probe = setInterval(() => {
    const asked = performance.now();
    void fetch(`${origin}/api/live`).then(() => (worstAnswerMs = Math.max(worstAnswerMs, performance.now() - asked)));
  }, 250);
  const started = performance.now();
  const result = await work();
  const seconds = (performance.now() - started) / 1000;
  clearInterval(watch);
  clearInterval(probe);
  return { result, seconds, highest, resting, worstAnswerMs };
}
