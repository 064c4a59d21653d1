import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { environmentProblem, plainEnvironment } from '@sturdy/core';
import { createApp } from './api/app.js';
import { projectId, type Services } from './api/services.js';
import { LongWork } from './compute/long-work.js';
import { startCompute } from './compute/compute-client.js';
import { Conductor } from './conductor/conductor.js';
import { WorkerThreadTransport } from './conductor/transport.js';
import { computeWorkerFile, emptyDatabaseFolder, migrationsFolder, storeWorkerFile, webFolder } from './files.js';
import { clearLeftUploads } from './import/import-table.js';
import { LiveHub } from './live/live-hub.js';
import { recoverJournals } from './record/recording-journal.js';
import { Recorder } from './record/recorder.js';
import { RehearsalRoom } from './rehearse/rehearsal-room.js';
import { SampleFiles } from './samples/sample-files.js';
import type { StorePlace } from './store/open-database.js';
import { openStore } from './store/store-client.js';

export interface ServerOptions {
  /** TCP port on 127.0.0.1; 0 takes a free one. */
  port: number;
  /** Port of the recording proxy; 0 takes a free one. */
  proxyPort: number;
  store: StorePlace;
  /** Folder where single samples of runs are kept. */
  samplesFolder: string;
  /** Folder where the certificate authority of the recorder is kept, and what it has counted and the store has not written yet. */
  recorderFolder: string;
  /** Folder of the key with which secrets are sealed in the database. */
  secretsFolder: string;
  projectName?: string;
  /** Targets that a fresh project allows. */
  targets?: string[];
}

export interface RunningServer {
  origin: string;
  /** Runs that a crash had left open and that were closed as interrupted at this start. */
  interruptedRuns: number;
  stop: () => Promise<void>;
}

/** Starts the server on loopback. Rejects with a clear message where the data directory or the port is taken. */
export async function startServer(options: ServerOptions): Promise<RunningServer> {
  // Recordings, samples and passwords: what this process writes is for its owner alone, whatever the umask was.
  process.umask(0o077);
  // The threads start side by side; what the store says goes first, because it may be that nothing can be started.
  const computing = startCompute(computeWorkerFile);
  const store = await openStore(options.store, {
    worker: storeWorkerFile,
    migrations: migrationsFolder,
    emptyDatabase: emptyDatabaseFolder,
    secretsFolder: options.secretsFolder,
  }).catch(async (error: unknown) => {
    await (await computing).close();
    throw error;
  });
  // What was counted comes in before the takes are closed.
  await recoverJournals(options.recorderFolder, store);
  const interruptedRuns = await store.closeOpen();
  await clearLeftUploads();
  await makeFirstProject(store, options);
  const { compute, close: closeCompute } = await computing;
  const longWork = new LongWork(computeWorkerFile);
  longWork.warmUp();
  const live = new LiveHub();
  const samples = new SampleFiles(options.samplesFolder);
  const services: Services = {
    store,
    compute,
    longWork,
    live,
    recorder: new Recorder(store, live, options.proxyPort, options.recorderFolder),
    rehearsalRoom: new RehearsalRoom(store, compute, live),
    conductor: new Conductor(store, compute, live, new WorkerThreadTransport(), samples),
    samples,
  };
  services.rehearsalRoom.warmUp();
  const app = createApp(services, webFolder);
  const server = await new Promise<Server>((done, failed) => {
    const listening = app.listen(options.port, '127.0.0.1', (error?: Error) => {
      if (error)
        failed(
          new Error(
            (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
              ? `Port ${options.port} is taken by another program. Stop it, or choose another port with --port.`
              : error.message,
          ),
        );
      else done(listening);
    });
  });
  return {
    origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    interruptedRuns,
    stop: async () => {
      live.close();
      await services.conductor.close();
      if (services.recorder.current) await services.recorder.stop();
      server.closeAllConnections();
      await new Promise((done) => server.close(done));
      await services.rehearsalRoom.close();
      await services.longWork.close();
      await closeCompute();
      await store.close();
    },
  };
}

async function makeFirstProject(store: Services['store'], options: ServerOptions): Promise<void> {
  if ((await store.projects()).length > 0) return;
  const environment = plainEnvironment({ id: 'e1', projectId, name: 'This machine', targets: options.targets ?? [] });
  const problem = environmentProblem(environment);
  if (problem !== null) throw new Error(problem);
  await store.saveProject({ id: projectId, name: options.projectName ?? 'First project' });
  await store.saveEnvironment(environment);
}
