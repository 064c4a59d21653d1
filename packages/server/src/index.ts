export { startServer, type RunningServer, type ServerOptions } from './server.js';
export { Conductor } from './conductor/conductor.js';
export type { RunStore } from './conductor/run-store.js';
export { WorkerThreadTransport } from './conductor/transport.js';
export { Problem } from './problem.js';
export type { StorePlace } from './store/open-database.js';
