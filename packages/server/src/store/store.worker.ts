import { parentPort, workerData } from 'node:worker_threads';
import { DamageList } from './damage-list.js';
import { noRoomIn } from './disk-room.js';
import { EnvironmentRepository } from './environment-repository.js';
import { operationsOf } from './operations.js';
import { Patience } from './patience.js';
import { openDatabase, type StoreFiles, type StorePlace } from './open-database.js';
import { ProjectRepository } from './project-repository.js';
import { Recovery } from './recovery.js';
import { Repository } from './repository.js';
import { openKeys, SecretBox } from './secret-box.js';
import { ScheduleRepository } from './schedule-repository.js';
import { ScriptRepository } from './script-repository.js';
import { TableRepository } from './table-repository.js';
import { WorkloadRepository } from './workload-repository.js';

/** A call of one method of a repository, and its answer. */
interface Call {
  id: number;
  method: string;
  args: unknown[];
  /** How long the call waits while the database is away, in ms. */
  patienceMs: number;
}

/** Calls that write nothing can be answered while the disk is full. */
const onlyReads = /^(?!save|put|replace|renumber|import|set|rename|change|goTo|lease|release|closeOpen)/;

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');
const { place, files, secretsFolder } = workerData as { place: StorePlace; files: StoreFiles; secretsFolder: string };

try {
  const { database, answers, needRoom, copyTo, close } = await openDatabase(place, files);
  const patience = new Patience(answers, (away) => {
    port.postMessage({ news: away });
  });
  const damage = new DamageList();
  const repository = new Repository(database, damage);
  const secrets = new SecretBox(openKeys(secretsFolder));
  const environments = new EnvironmentRepository(database, damage, secrets);
  await environments.sealEnvironments();
  const operations = operationsOf([
    repository,
    new ProjectRepository(database),
    environments,
    new Recovery(database, damage, repository),
    new ScheduleRepository(database, damage, secrets),
    new ScriptRepository(database, damage),
    new TableRepository(database),
    new WorkloadRepository(database, damage),
  ]);
  operations.set('copyTo', (folder) => copyTo(String(folder)));
  port.on('message', (call: Call) => {
    void (async () => {
      try {
        if (call.method === 'close') {
          patience.end();
          await close();
          port.postMessage({ id: call.id });
          // What the embedded database leaves open would keep the thread alive.
          setImmediate(() => process.exit(0));
          return;
        }
        const operation = operations.get(call.method);
        if (!operation) throw new Error(`The store has no operation ${call.method}.`);
        if (!onlyReads.test(call.method)) needRoom();
        const result = await patience.run(call.method, () => operation(...call.args), call.patienceMs);
        port.postMessage({ id: call.id, result });
      } catch (error) {
        // The error of a query quotes all its values; what the database said of it stands in its cause.
        const cause = noRoomIn(error) ?? (error instanceof Error && error.cause instanceof Error ? error.cause : error);
        port.postMessage({
          id: call.id,
          error: cause instanceof Error ? cause.message : String(cause),
          name: cause instanceof Error ? cause.name : 'Error',
        });
      }
    })();
  });
  port.postMessage({ ready: true });
} catch (error) {
  // The error of a query quotes it; what the database said of it stands in its cause.
  const cause = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  port.postMessage({ failed: cause instanceof Error ? cause.message : String(cause) });
}
