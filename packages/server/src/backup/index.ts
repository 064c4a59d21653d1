export { backUpStopped, restoreBackup } from './backup.js';
export { migrationsFolder } from '../shipped/files.js';
