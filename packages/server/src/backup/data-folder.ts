import { join } from 'node:path';

/** Where everything of a server lies. */
export interface DataFolders {
  samplesFolder: string;
  recorderFolder: string;
  secretsFolder: string;
  logFolder: string;
  backupsFolder: string;
}

/** The folders of a data folder; the embedded database lies beside them. */
export const dataFolders = (data: string): DataFolders => ({
  samplesFolder: join(data, 'samples'),
  recorderFolder: join(data, 'recorder'),
  secretsFolder: join(data, 'secrets'),
  logFolder: join(data, 'log'),
  backupsFolder: join(data, 'backups'),
});
