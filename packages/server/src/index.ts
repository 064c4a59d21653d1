export { startServer, type RunningServer, type ServerOptions } from './server.js';
export type { StorePlace } from './store/open-database.js';
export { levels as logLevels, type LogEntry } from './log/server-log.js';
export { dataFolders } from './backup/data-folder.js';
