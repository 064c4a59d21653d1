export { startServer, type RunningServer, type ServerOptions } from './server.js';
export type { StorePlace } from './store/open-database.js';
