import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { isLoopback, version, type TargetPolicy } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import { Backups } from './backup/backups.js';
import { AboutServer } from './about/about-server.js';
import { createApp } from './api/app.js';
import type { Services } from './api/services.js';
import { LongWork } from './compute/long-work.js';
import { startCompute } from './compute/compute-client.js';
import { Conductor } from './conductor/conductor.js';
import { LinkedTransport, WorkerThreads } from './conductor/transport.js';
import { Environments } from './environments/environments.js';
import { PreparedRuns } from './explore/prepared-runs.js';
import { Questions } from './explore/questions.js';
import { ReportMaker } from './explain/report-maker.js';
import { RunMaterial } from './explain/run-material.js';
import {
  computeWorkerFile,
  emptyDatabaseFile,
  importWorkerFile,
  migrationsFolder,
  parquetWorkerFile,
  questionProcessFile,
  storeWorkerFile,
  webFolder,
} from './shipped/files.js';
import { startMachineHelper } from './hosts/machine-helper.js';
import { clearLeftFolders } from './temporary/temporary-folder.js';
import { LiveHub } from './live/live-hub.js';
import { ServerLog, type LogEntry } from './log/server-log.js';
import { recoverJournals } from './record/recording-journal.js';
import { Notices } from './notice/notices.js';
import { FileStates } from './project-files/file-states.js';
import { ProjectFiles } from './project-files/project-files.js';
import { Projects } from './projects/projects.js';
import { Recorder } from './record/recorder.js';
import { SecondTakeMaker } from './record/second-take-maker.js';
import { RehearsalRoom } from './rehearse/rehearsal-room.js';
import { systemClock, type Clock } from './clock/clock.js';
import { ReadinessCheck } from './schedule/readiness-check.js';
import { Scheduler } from './schedule/scheduler.js';
import { SampleFiles } from './samples/sample-files.js';
import { ProjectSecrets } from './secrets/project-secrets.js';
import type { StorePlace } from './store/open-database.js';
import { openStore } from './store/store-client.js';
import { RunStarter } from './workloads/run-starter.js';

export interface ServerOptions {
  /** TCP port; 0 takes a free one. */
  port: number;
  /** Address on which the interface is served; 127.0.0.1 where it is left out. Whoever reaches it can use the server. */
  listen?: string;
  /** Names by which browsers may ask for it, besides those of loopback. */
  hostNames?: readonly string[];
  /** Port of the recording proxy; 0 takes a free one. */
  proxyPort: number;
  store: StorePlace;
  /** Folder where single samples of runs are kept. */
  samplesFolder: string;
  /** Folder where the certificate authority of the recorder is kept, and what it has counted and the store has not written yet. */
  recorderFolder: string;
  /** Folder of the key with which secrets are sealed in the database. */
  secretsFolder: string;
  /** Folder of backups. */
  backupsFolder: string;
  /** Folder of the log, and what is written into it. */
  logFolder: string;
  logLevel?: LogEntry['level'];
  projectName?: string;
  /** Targets that a fresh project names. */
  targets?: string[];
  /** What may be cleared on this machine; all of them hold. */
  policies?: readonly TargetPolicy[];
  /** Looks names of targets up; that of the system where it is left out. */
  lookup?: Lookup;
  /** By which schedules go; that of the system where it is left out. */
  clock?: Clock;
}

export interface RunningServer {
  origin: string;
  /** False where other machines may reach it. */
  isLoopback: boolean;
  /** Runs that a crash had left open and that were closed as interrupted at this start. */
  interruptedRuns: number;
  stop: () => Promise<void>;
}

/** Starts the server on loopback. Rejects with a clear message where the data directory or the port is taken. */
export async function startServer(options: ServerOptions): Promise<RunningServer> {
  // Recordings, samples and passwords: what this process writes is for its owner alone, whatever the umask was.
  process.umask(0o077);
  startMachineHelper();
  const log = new ServerLog(options.logFolder, options.logLevel);
  // The threads start side by side; what the store says goes first, because it may be that nothing can be started.
  const computing = startCompute(computeWorkerFile);
  const store = await openStore(options.store, {
    worker: storeWorkerFile,
    migrations: migrationsFolder,
    emptyDatabase: emptyDatabaseFile,
    secretsFolder: options.secretsFolder,
    warn: (text) => {
      log.warn(text);
    },
  }).catch(async (error: unknown) => {
    await (await computing).close();
    throw error;
  });
  // What was counted comes in before the takes are closed.
  const exchanges = await recoverJournals(options.recorderFolder, store);
  const interrupted = { ...(await store.closeOpen()), exchanges };
  for (const run of interrupted.runs) log.warn(`Run ${run} was interrupted by the last stop`);
  for (const take of interrupted.takes) log.warn(`The recording of “${take}” was interrupted by the last stop`);
  await clearLeftFolders();
  const samples = new SampleFiles(options.samplesFolder);
  for (const left of await store.leftImports()) for (const runId of await store.deleteProject(left)) await samples.delete(runId);
  const { compute, close: closeCompute } = await computing;
  const longWork = new LongWork(computeWorkerFile);
  longWork.warmUp();
  const live = new LiveHub();
  const secrets = new ProjectSecrets(store);
  for (const { id } of await store.projects()) log.mask(await secrets.of(id, []), id);
  const projects = new Projects(store, {
    underWay: (projectId) => underWayIn(projectId, services),
    deleteSamples: async (runId) => {
      preparedRuns.forget(runId);
      await samples.delete(runId);
    },
  });
  const environments = new Environments(store, options.policies, options.lookup);
  const rehearsalRoom = new RehearsalRoom(store, compute, live);
  const conductor = new Conductor(store, compute, live, new LinkedTransport(new WorkerThreads()), samples);
  const clock = options.clock ?? systemClock;
  const warn = (text: string) => {
    log.warn(text);
  };
  const ground = { store, compute, environments, projects, conductor, rehearsalRoom, samples };
  const notices = new Notices(ground, new ReportMaker(ground), clock, warn);
  const scheduler = new Scheduler({
    services: ground,
    starter: new RunStarter(ground),
    readiness: new ReadinessCheck(ground, options.samplesFolder),
    notices,
    runs: new RunMaterial(ground),
    clock,
    warn,
  });
  const preparedRuns = new PreparedRuns({ store, compute, samples }, parquetWorkerFile);
  const recorder = new Recorder(store, live, options.proxyPort, options.recorderFolder, warn, options.lookup);
  const services: Services = {
    preparedRuns,
    questions: new Questions(preparedRuns, store, questionProcessFile),
    clock,
    scheduler,
    notices,
    projects,
    projectFiles: new ProjectFiles({ store, samples, parquetWorker: parquetWorkerFile, importWorker: importWorkerFile }, projects),
    store,
    compute,
    longWork,
    live,
    environments,
    fileStates: new FileStates({ store, samples, parquetWorker: parquetWorkerFile }, { store, environments, projects }),
    recorder,
    secondTakes: new SecondTakeMaker(store, compute, recorder, live),
    rehearsalRoom,
    conductor,
    samples,
    secrets,
    backups: new Backups(
      {
        folders: options,
        migrations: migrationsFolder,
        database: 'databaseUrl' in options.store ? 'postgresql' : 'embedded',
        copyDatabase: (folder) => store.copyTo(folder),
      },
      log,
    ),
    log,
    about: new AboutServer(
      store,
      options.store,
      [
        { what: 'Samples of runs', path: options.samplesFolder },
        { what: 'Recorder: its authority and its journal', path: options.recorderFolder },
        { what: 'Backups', path: options.backupsFolder },
        { what: 'Log', path: options.logFolder },
      ],
      interrupted,
      log,
    ),
  };
  if ((await store.projects()).length === 0) await projects.add(options.projectName ?? 'First project', options.targets, firstProject);
  services.rehearsalRoom.warmUp();
  const app = createApp(services, webFolder, options.hostNames);
  const { listen = '127.0.0.1' } = options;
  const server = await new Promise<Server>((done, failed) => {
    const listening = app.listen(options.port, listen, (error?: Error) => {
      if (error) failed(new Error(whyNotListening(error, options.port, listen)));
      else done(listening);
    });
  });
  const named = listen.includes(':') ? `[${listen}]` : listen;
  const { port } = server.address() as AddressInfo;
  // All addresses of a machine are no address that a browser could ask.
  const origin = `http://${/^(0\.0\.0\.0|\[::\])$/.test(named) ? '127.0.0.1' : named}:${port}`;
  notices.origin = origin;
  notices.start();
  scheduler.start();
  log.info('The server started', { version, node: process.version, pid: process.pid });
  return {
    origin,
    isLoopback: isLoopback(`http://${named}`),
    interruptedRuns: interrupted.runs.length,
    stop: async () => {
      live.close();
      await scheduler.close();
      await notices.close();
      preparedRuns.close();
      await services.conductor.close();
      if (services.recorder.current) await services.recorder.stop();
      server.closeAllConnections();
      await new Promise((done) => server.close(done));
      await services.rehearsalRoom.close();
      await services.longWork.close();
      await closeCompute();
      await store.close();
      log.info('The server stopped');
      await log.close();
    },
  };
}

function whyNotListening(error: NodeJS.ErrnoException, port: number, address: string): string {
  switch (error.code) {
    case 'EADDRINUSE':
      return `Port ${port} is taken by another program. Stop it, or choose another port with --port.`;
    case 'EADDRNOTAVAIL':
    case 'ENOTFOUND':
      return `This machine has no address ${address}. Give one that it has with --listen, such as 127.0.0.1 or 0.0.0.0.`;
    case 'EACCES':
      return `Port ${port} may not be used by this user. Choose one above 1023 with --port.`;
    default:
      return error.message;
  }
}

/** Id of the project that a fresh store begins with. */
const firstProject = 'p1';

/** What is recorded, rehearsed or run in a project now, in words; null where nothing is. */
function underWayIn(projectId: string, { recorder, conductor, rehearsalRoom }: Services): string | null {
  if (recorder.current?.projectId === projectId) return 'a take is being recorded in it';
  if (conductor.current?.projectId === projectId) return `run ${conductor.current.number} goes on in it`;
  const script = rehearsalRoom.rehearsing(projectId);
  return script ? `“${script.name}” is being rehearsed` : null;
}
