import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

/** Built workers and shipped files for tests: Jest runs the sources, but a worker thread needs a file. */
export const storeWorkerFile = pathToFileURL(resolve('packages/server/dist/store/store.worker.js'));
export const computeWorkerFile = pathToFileURL(resolve('packages/server/dist/compute/compute.worker.js'));
export const answersWorkerFile = pathToFileURL(resolve('packages/server/dist/compute/answers.worker.js'));
export const importWorkerFile = pathToFileURL(resolve('packages/server/dist/import/import.worker.js'));
export const tableImportWorkerFile = pathToFileURL(resolve('packages/server/dist/import/table-import.worker.js'));
export const migrationsFolder = resolve('packages/server/migrations');
export const emptyDatabaseFile = resolve('packages/server/dist/empty-database.tar');
export const rasteriserFile = resolve('node_modules/@resvg/resvg-wasm/index_bg.wasm');
export const reportFontFolder = resolve('node_modules/pdfmake/fonts/Roboto');
export const webFolder = resolve('packages/web/dist/browser');
export const parquetWorkerFile = pathToFileURL(resolve('packages/server/dist/samples/parquet.worker.js'));
export const ownTablesWorkerFile = pathToFileURL(resolve('packages/server/dist/import/own-tables.worker.js'));
export const questionProcessFile = pathToFileURL(resolve('packages/server/dist/explore/question.process.js'));
export const machineFiguresFile = pathToFileURL(resolve('packages/server/dist/hosts/machine-figures.process.js'));
