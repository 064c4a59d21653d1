// Importing HAR files: time, the memory of the whole product at most and before, and the time until the take is looked over, for a
// small and a large file in one run.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dataFolders, startServer } from '../packages/server/dist/index.js';
import { upload, watched, writeHar } from './large-files.mjs';

const sizesMb = [20, 200];
const folder = mkdtempSync(join(tmpdir(), 'sturdy-bench-'));
const server = await startServer({
  ...dataFolders(folder),
  port: 0,
  proxyPort: 0,
  store: { directory: join(folder, 'data') },
});

process.stdout.write('Importing a HAR file, streamed\n');
for (const megabytes of sizesMb) {
  const file = join(folder, 'large.har');
  const count = await writeHar(file, megabytes);
  const { result, seconds, highest, resting, worstAnswerMs } = await watched(server.origin, () =>
    upload(`${server.origin}/api/projects/p1/takes/import?name=bench`, file),
  );
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
