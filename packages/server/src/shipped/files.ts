import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Files that ship with the compiled server; alone here, because `import.meta` does not exist in Jest. */
export const storeWorkerFile = new URL('../store/store.worker.js', import.meta.url);
export const computeWorkerFile = new URL('../compute/compute.worker.js', import.meta.url);
export const answersWorkerFile = new URL('../compute/answers.worker.js', import.meta.url);
export const importWorkerFile = new URL('../import/import.worker.js', import.meta.url);
export const tableImportWorkerFile = new URL('../import/table-import.worker.js', import.meta.url);
export const parquetWorkerFile = new URL('../samples/parquet.worker.js', import.meta.url);
export const ownTablesWorkerFile = new URL('../import/own-tables.worker.js', import.meta.url);
export const questionProcessFile = new URL('../explore/question.process.js', import.meta.url);
export const machineFiguresFile = new URL('../hosts/machine-figures.process.js', import.meta.url);
export const migrationsFolder = fileURLToPath(new URL('../../migrations', import.meta.url));
/** An empty database, made once by the build: to make it anew at each first start takes seconds. */
export const emptyDatabaseFile = fileURLToPath(new URL('../empty-database.tar', import.meta.url));
/** What draws pictures, and the fonts of printed documents: files of packages, found wherever these are installed. */
export const rasteriserFile = createRequire(import.meta.url).resolve('@resvg/resvg-wasm/index_bg.wasm');
export const reportFontFolder = join(dirname(createRequire(import.meta.url).resolve('pdfmake/package.json')), 'fonts/Roboto');
export const webFolder = fileURLToPath(new URL('../../../web/dist/browser', import.meta.url));
