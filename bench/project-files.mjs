// A large project as a file: 200 MB of takes and five million samples are exported and imported; time, and the memory of the whole product at most and
// before. Seeded and bounded.
import { createWriteStream, mkdtempSync, rmSync, statSync } from 'node:fs';
import { randomUUID } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { upload, watched, writeHar } from './large-files.mjs';
import { endServerProcess, memoryOf, startServerProcess } from './server-process.mjs';
import { SampleBook } from '../packages/core/dist/index.js';
import { SampleFiles } from '../packages/server/dist/samples/sample-files.js';
import { emptyDatabaseFolder, migrationsFolder, storeWorkerFile } from '../packages/server/dist/shipped/files.js';
import { openStore } from '../packages/server/dist/store/store-client.js';

const takeMb = 200;
const samplesMillions = 5;
const folder = mkdtempSync(join(tmpdir(), 'sturdy-bench-'));
const data = join(folder, 'data');
const samplesFolder = join(data, 'samples');

/** A run with as many samples as are kept of one. */
async function makeRun() {
  const store = await openStore(
    { directory: data },
    {
      worker: storeWorkerFile,
      migrations: migrationsFolder,
      emptyDatabase: emptyDatabaseFolder,
      secretsFolder: join(data, 'secrets'),
    },
  );
  await store.saveProject({ id: 'p1', name: 'Large' });
  const id = randomUUID();
  const workload = {
    id: randomUUID(),
    projectId: 'p1',
    name: 'Peak',
    crews: [],
    curve: { kind: 'at-once', holdSeconds: 10, rampDownSeconds: 0, atEnd: 'now' },
    criteria: [],
    generators: 1,
    seed: '1',
  };
  await store.saveRun({
    id,
    projectId: 'p1',
    number: 1,
    workload,
    environmentId: 'e1',
    state: 'done',
    startedAt: '2026-11-23T10:00:00.000Z',
    endedAt: '2026-11-23T10:16:40.000Z',
    note: null,
    verdict: 'none',
  });
  await store.close();
  const files = new SampleFiles(samplesFolder);
  for (let second = 0; second < samplesMillions * 200; second++) {
    const book = new SampleBook();
    for (let n = 0; n < 5000; n++)
      book.add({
        crew: `c${n % 3}`,
        transaction: `T${n % 6}`,
        step: `s${n % 24}`,
        atMs: second * 1000 + n / 5,
        durationMs: (n * 7919) % 400,
        firstByteMs: 5,
        bytesIn: 4000 + (n % 100),
        bytesOut: 600,
        user: 1 + (n % 500),
        iteration: 1 + Math.floor(second / 10),
        status: 200,
        failure: n % 997 === 0 ? 'status-unexpected:500' : null,
      });
    files.keep(id, book.take(), console.error);
    if (second % 20 === 0) await new Promise((done) => setTimeout(done, 5));
  }
  await files.end(id);
}

/** Does some work with a server that has just been started, so that the memory before is that of one at rest. */
async function measured(what, work) {
  const { child, origin } = await startServerProcess(data);
  await new Promise((done) => setTimeout(done, 3000));
  const { result, seconds, highest, resting, worstAnswerMs } = await watched(
    origin,
    () => work(origin),
    () => memoryOf(child),
  );
  process.stdout.write(
    `  ${what}: ${seconds.toFixed(1)} s, memory grew by ${((highest - resting) / 1e6).toFixed(0)} MB from ${(resting / 1e6).toFixed(0)} MB, slowest other answer ${worstAnswerMs.toFixed(0)} ms\n`,
  );
  await endServerProcess(child, 'SIGTERM');
  return result;
}

await makeRun();
const har = join(folder, 'large.har');
await writeHar(har, takeMb);
process.stdout.write(`A project of ${takeMb} MB of takes and ${samplesMillions} million samples\n`);
await measured('its take uploaded as HAR', (origin) => upload(`${origin}/api/projects/p1/takes/import?name=Large`, har));
rmSync(har);
const zip = join(folder, 'large.zip');
await measured('exported', async (origin) => {
  const { body } = await fetch(`${origin}/api/projects/p1/export`);
  await pipeline(Readable.fromWeb(body), createWriteStream(zip));
});
process.stdout.write(`  the zip has ${(statSync(zip).size / 1e6).toFixed(0)} MB\n`);
const imported = await measured('imported', (origin) => upload(`${origin}/api/projects/import?name=Copy`, zip));
if (!imported.project) throw new Error(imported.detail);
rmSync(folder, { recursive: true, force: true });
process.exit();
